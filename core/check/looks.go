package check

import (
	"fmt"
	"iter"
	"maps"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
)

var lookAlikes = Analyzer{
	Name: "look-alikes",
	Doc: "Names of users, groups or systems that look the same and are not, " +
		"because they mix scripts (Unicode Technical Standard 39).",
	Run: func(p *Pass) {
		book := p.Atlas.Book
		alike(p, "users", book.AllUsers, func(u directory.UserID) named {
			return named{book.User(u).Name, book.UserName(u), book.User(u).Place}
		})
		alike(p, "groups", book.AllGroups, func(g directory.GroupID) named {
			return named{book.Group(g).Name, book.GroupName(g), book.Group(g).Place}
		})
		alike(p, "systems", slices.Values(p.Atlas.Systems), func(s *atlas.System) named {
			return named{s.Name(), s.Name(), s.Document.Place}
		})
	},
}

type named struct {
	own, full string
	place     place.Place
}

// alike tells of names of one kind that look the same. Names that are equal belong to one
// person, or are told of otherwise; names of ASCII alone are not compared with each other.
func alike[T any](p *Pass, kind string, all iter.Seq[T], of func(T) named) {
	looks := map[string][]named{}
	for t := range all {
		if x := of(t); !name.ASCII(x.own) {
			key := name.Skeleton(x.own)
			looks[key] = append(looks[key], x)
		}
	}
	if len(looks) == 0 {
		return
	}
	for t := range all {
		x := of(t)
		if key := name.Skeleton(x.own); name.ASCII(x.own) && looks[key] != nil {
			looks[key] = append(looks[key], x)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(looks)) {
		alike := looks[key]
		slices.SortFunc(alike, func(a, b named) int { return strings.Compare(a.full, b.full) })
		if !slices.ContainsFunc(alike[1:], func(x named) bool { return !name.Equal(x.own, alike[0].own) }) {
			continue
		}
		var names []string
		for _, x := range alike {
			names = append(names, x.full)
		}
		p.Add(finding.New(
			finding.LookAlike,
			alike[0].place,
			fmt.Sprintf(
				"The %s %s look the same, and are not: their characters are of different scripts.",
				kind,
				strings.Join(names, " and "),
			),
			"Find out which of them is meant, and rename or remove the others.",
			names...))
	}
}

package check

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
)

var lookAlikes = Analyzer{
	Name: "look-alikes",
	Doc:  "Names of users, groups or systems that look the same and are not, because they mix scripts (Unicode Technical Standard 39).",
	Run: func(p *Pass) {
		book := p.Atlas.Book
		users, groups, systems := looks{}, looks{}, looks{}
		for u := range book.AllUsers {
			users.add(book.User(u).Name, book.UserName(u), book.User(u).Place)
		}
		for g := range book.AllGroups {
			groups.add(book.Group(g).Name, book.GroupName(g), book.Group(g).Place)
		}
		for _, s := range p.Atlas.Systems {
			systems.add(s.Name(), s.Name(), s.Document.Place)
		}
		users.tell(p, "users")
		groups.tell(p, "groups")
		systems.tell(p, "systems")
	},
}

// looks are names of one kind: those that have a character beyond ASCII, which may look
// like another, by how they look, and all others.
type looks struct {
	beyond map[string][]named
	plain  []named
}

type named struct {
	own, full string
	place     place.Place
}

func (l *looks) add(own, full string, at place.Place) {
	x := named{own, full, at}
	if name.ASCII(own) {
		l.plain = append(l.plain, x)
		return
	}
	if l.beyond == nil {
		l.beyond = map[string][]named{}
	}
	key := name.Skeleton(own)
	l.beyond[key] = append(l.beyond[key], x)
}

// tell tells of names that look the same. Names that are equal belong to one person, or
// are told of otherwise; names of ASCII alone are not compared with each other.
func (l *looks) tell(p *Pass, kind string) {
	if l.beyond == nil {
		return
	}
	for _, x := range l.plain {
		key := name.Skeleton(x.own)
		if _, meant := l.beyond[key]; meant {
			l.beyond[key] = append(l.beyond[key], x)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(l.beyond)) {
		alike := l.beyond[key]
		slices.SortFunc(alike, func(a, b named) int { return strings.Compare(a.full, b.full) })
		if !slices.ContainsFunc(alike[1:], func(x named) bool { return !name.Equal(x.own, alike[0].own) }) {
			continue
		}
		var names []string
		for _, x := range alike {
			names = append(names, x.full)
		}
		p.Add(finding.New(finding.LookAlike, alike[0].place,
			fmt.Sprintf("The %s %s look the same, and are not: their characters are of different scripts.", kind, strings.Join(names, " and ")),
			"Find out which of them is meant, and rename or remove the others.", names...))
	}
}

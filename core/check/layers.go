package check

import (
	"fmt"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/finding"
)

var layers = Analyzer{
	Name: "layers",
	Doc:  "People listed in groups for things, and groups for people put on things without one, where others are layered.",
	Run: func(p *Pass) {
		book := p.Atlas.Book
		layered := map[string]bool{} // directories with groups for things that collect groups
		for g := range book.AllGroups {
			if forThing(book, g) && len(book.Held(g)) > 0 {
				layered[book.GroupHome(g)] = true
			}
		}
		for g := range book.AllGroups {
			if forThing(book, g) && layered[book.GroupHome(g)] {
				p.listing(g)
			}
		}
		for _, s := range p.Atlas.Systems {
			for m := range s.Site.Mapped {
				if forThing(book, m.Group) && s.Site.Counts(m.Group) && len(book.Held(m.Group)) > 0 {
					p.without(s)
					break
				}
			}
		}
	},
}

// forThing says whether a group is for a thing of its directory, and not for what people are.
func forThing(book *directory.Book, g directory.GroupID) bool { return book.Group(g).UsableIn == "own" }

// listing tells of people whom a group for a thing lists.
func (p *Pass) listing(g directory.GroupID) {
	book := p.Atlas.Book
	listed := book.ListedUsers(g)
	if len(listed) == 0 {
		return
	}
	names := []string{book.GroupName(g)}
	for _, u := range listed {
		names = append(names, book.UserName(u))
	}
	message := fmt.Sprintf(
		"Group %s collects people through other groups, but lists some itself: %s.",
		names[0],
		strings.Join(names[1:], ", "),
	)
	if len(book.Held(g)) == 0 {
		message = fmt.Sprintf(
			"Group %s is for things of its directory, as others are that collect groups, but lists people only: %s.",
			names[0],
			strings.Join(names[1:], ", "),
		)
	}
	p.Add(
		finding.New(
			finding.Layering,
			book.Group(g).Place,
			message,
			"Put them into a group for what they do, and that group into this one.",
			names...),
	)
}

// without tells of groups for people that lines of a system map, where other lines map groups
// for the thing.
func (p *Pass) without(s *atlas.System) {
	book := p.Atlas.Book
	for m := range s.Site.Mapped {
		if g := book.Group(m.Group); g.MembersFrom != "own" || forThing(book, m.Group) || g.Kind == "mail" {
			continue
		}
		full := book.GroupName(m.Group)
		f := finding.New(
			finding.Layering,
			m.Place,
			fmt.Sprintf(
				"Line %s names the group %s, which is for what people are; other lines of %s name groups for the thing.",
				m.Line,
				full,
				s.Name(),
			),
			"Put it into a group for the thing, and name that one.",
			full,
		)
		f.Where.System, f.Where.Rule, _ = strings.Cut(m.Line, "/")
		p.Add(f)
	}
}

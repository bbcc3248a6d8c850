package check

import (
	"fmt"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
)

var groups = Analyzer{
	Name: "groups",
	Doc:  "Mapped groups without active members, members who are inactive, and counts that differ.",
	Run: func(p *Pass) {
		mapped := map[directory.GroupID]string{}
		for _, s := range p.Atlas.Systems {
			for m := range s.Site.Mapped {
				if _, ok := mapped[m.Group]; !ok {
					mapped[m.Group] = m.Line
				}
			}
		}
		active, inactive := p.Atlas.Book.ActiveMembers(), p.Atlas.Book.InactiveMembers()
		for g := range p.Atlas.Book.AllGroups {
			p.group(g, mapped[g], active[g], inactive[g])
		}
	},
}

// group looks at one group with so many active members, and the direct members who are
// inactive; line names a line that maps it, if any does.
func (p *Pass) group(g directory.GroupID, line string, active int, inactive []string) {
	book := p.Atlas.Book
	group, full := book.Group(g), book.GroupName(g)
	if line != "" && active == 0 && group.Kind != "mail" {
		p.Add(finding.New(finding.EmptyGroup, group.Place,
			fmt.Sprintf("Group %s has no active members, but line %s maps it.", full, line),
			"Add members, or remove the group from the line.", full))
	}
	if inactive != nil && group.Kind != "mail" {
		p.Add(finding.New(finding.InactiveMembers, group.Place,
			fmt.Sprintf("Group %s still has inactive members: %s.", full, strings.Join(inactive, ", ")),
			"Remove them, so that reactivating an account gives nothing back.", append([]string{full}, inactive...)...))
	}
	if group.Expect != nil && *group.Expect != active {
		p.Add(finding.New(finding.ExpectedCount, group.Place,
			fmt.Sprintf("Group %s should have %d active members and has %d.", full, *group.Expect, active),
			"Find out who is missing or should not be there, or correct the number.", full))
	}
}

var unused = Analyzer{
	Name: "unused",
	Doc:  "Groups that open nothing anywhere.",
	Run: func(p *Pass) {
		book := p.Atlas.Book
		used := make([]bool, book.Groups())
		var queue []directory.GroupID
		use := func(g directory.GroupID) {
			if !used[g] {
				used[g] = true
				queue = append(queue, g)
			}
		}
		for _, s := range p.Atlas.Systems {
			for m := range s.Site.Mapped {
				use(m.Group)
			}
			for _, g := range s.Site.Named {
				use(g)
			}
		}
		for g := range book.AllGroups {
			for _, manager := range book.Managers(g).Groups {
				use(manager)
			}
		}
		for len(queue) > 0 {
			g := queue[0]
			queue = queue[1:]
			for _, inner := range book.Held(g) {
				use(inner)
			}
		}
		for g := range book.AllGroups {
			group, full := book.Group(g), book.GroupName(g)
			if used[g] || group.Kind == "mail" {
				continue
			}
			p.Add(finding.New(finding.UnusedGroup, group.Place,
				fmt.Sprintf("Group %s opens nothing anywhere.", full),
				"Map it, make it a mail group if it is only for addressing, or remove it.", full))
		}
	},
}

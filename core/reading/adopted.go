package reading

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// Adopted is the document of a system with what was read in the place of what it says of its gate,
// and a directory with those accounts and groups of the system that the map does not have; nil
// where it has them all.
func (c *Compiled) Adopted(s *gate.System) (adopted *gate.System, own *directory.Document) {
	document := *s
	home := c.home()
	own = c.own(home)
	document.Gate = gate.Renamed(c.everyoneThere(home, own), c.renamed(c.names.users, home), c.renamed(c.mapGroups(), home))
	if len(own.Users)+len(own.Groups) == 0 {
		own = nil
	}
	return &document, own
}

// mapGroups are the groups of the system by their names in the map: those that are tied to a group
// of the map are that one.
func (c *Compiled) mapGroups() map[string]string {
	names := map[string]string{}
	for own, full := range c.names.groups {
		names[own] = full
		if g, tied := c.GroupOf[own]; tied {
			names[own] = c.Now.Book.GroupName(g)
		}
	}
	return names
}

// own is the directory of what the map does not have.
func (c *Compiled) own(home string) *directory.Document {
	d := &directory.Document{Name: home, Title: "What " + c.Reading.System + " has of its own"}
	groups := c.mapGroups()
	for i := range c.Accounts {
		if a := &c.Accounts[i]; !c.tied(a.Name) {
			u := &directory.User{Name: strings.TrimPrefix(c.names.users[a.Name], home+"/")}
			if !a.Active {
				u.Active = new(false)
			}
			d.Users = append(d.Users, u)
		}
	}
	for i := range c.Groups {
		g := &c.Groups[i]
		if _, tied := c.GroupOf[g.Name]; tied {
			continue
		}
		m := &directory.Members{Users: c.usable(g.Accounts)}
		for _, inner := range g.Groups {
			if full, known := groups[inner]; known {
				m.Groups = append(m.Groups, name.Ref{Name: full})
			}
		}
		d.Groups = append(d.Groups, &directory.Group{Name: strings.TrimPrefix(c.names.groups[g.Name], home+"/"), Members: m})
	}
	return d
}

// usable are the accounts of a list by their names in the map: those that cannot be used there,
// and can in the map, hold nothing.
func (c *Compiled) usable(accounts []string) (refs []name.Ref) {
	active := c.active()
	for _, account := range accounts {
		if full, known := c.names.users[account]; known && (active[account] || !c.tied(account)) {
			refs = append(refs, name.Ref{Name: full})
		}
	}
	return refs
}

func (c *Compiled) active() map[string]bool {
	if c.usables == nil {
		c.usables = map[string]bool{}
		for _, a := range c.Accounts {
			c.usables[a.Name] = a.Active
		}
	}
	return c.usables
}

func (c *Compiled) tied(account string) bool {
	_, tied := c.UserOf[account]
	return tied
}

// everyoneThere is the document with a group of all accounts in the place of everyone: in a map
// that would be everyone of every directory.
func (c *Compiled) everyoneThere(home string, own *directory.Document) gate.Document {
	named := "accounts"
	taken := func() bool {
		return slices.ContainsFunc(c.Groups, func(g Group) bool { return name.Equal(g.Name, named) })
	}
	for taken() {
		named = "all-" + named
	}
	used := false
	document := gate.Rewritten(c.Document, func(w *gate.Who) {
		if w.Everyone {
			w.Everyone, used = false, true
			w.Groups = append(w.Groups, name.Ref{Name: named})
		}
	}, func(*directory.People) {})
	if used {
		own.Groups = append(own.Groups, &directory.Group{
			Name: named, Description: "Everyone with an account in " + c.Reading.System, Members: &directory.Members{Users: c.usable(accountNames(c.Reading))},
		})
	}
	return document
}

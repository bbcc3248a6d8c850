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
// where it has them all. Accounts that the link leaves aside are left aside.
func (c *Compiled) Adopted(s *gate.System) (adopted *gate.System, own *directory.Document) {
	ours := gate.Narrowed(c.Document, func(w *gate.Who) {
		w.Users = those(w.Users, func(u name.Ref) bool { return !c.Ignored(u.Name) })
	})
	adopted, own = c.adopted(s, ours)
	return adopted, unlessEmpty(own)
}

// adopted is a system with another document of its gate, in names of the map, and the directory of
// all that the map does not have.
func (c *Compiled) adopted(s *gate.System, d gate.Document) (adopted *gate.System, own *directory.Document) {
	document, groups := *s, c.mapGroups()
	own = c.own(c.home, groups)
	document.Gate = gate.Renamed(c.everyoneThere(own, d), c.renamed(c.names.users, c.home), c.renamed(groups, c.home))
	return &document, own
}

func unlessEmpty(d *directory.Document) *directory.Document {
	if len(d.Users)+len(d.Groups) == 0 {
		return nil
	}
	return d
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
func (c *Compiled) own(home string, groups map[string]string) *directory.Document {
	d := &directory.Document{Name: home, Title: "What " + c.Reading.System + " has of its own"}
	usable := c.usable()
	for i := range c.Accounts {
		if a := &c.Accounts[i]; !c.tied(a) && !c.Ignored(a.Name) {
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
		d.Groups = append(
			d.Groups,
			c.group(g, home, &directory.Members{Users: refs(g.Accounts, usable), Groups: refs(g.Groups, groups)}),
		)
	}
	return d
}

// usable are the accounts by their names in the map, without those that cannot be used there and
// can in the map, which hold nothing, and those that the link leaves aside.
func (c *Compiled) usable() map[string]string {
	names := map[string]string{}
	for i := range c.Accounts {
		if a := &c.Accounts[i]; (a.Active || !c.tied(a)) && !c.Ignored(a.Name) {
			names[a.Name] = c.names.users[a.Name]
		}
	}
	return names
}

func (c *Compiled) tied(a *Account) bool {
	_, tied := c.UserOf[a.Name]
	return tied
}

// everyoneThere is the document with a group of all accounts in the place of everyone: in a map
// that would be everyone of every directory.
func (c *Compiled) everyoneThere(own *directory.Document, d gate.Document) gate.Document {
	named := "accounts"
	for slices.ContainsFunc(c.Groups, func(g Group) bool { return name.Equal(g.Name, named) }) {
		named = "all-" + named
	}
	used := false
	document := gate.Rewritten(d, func(w *gate.Who) {
		if w.Everyone {
			w.Everyone, used = false, true
			w.Groups = append(w.Groups, name.Ref{Name: named})
		}
	}, func(*directory.People) {})
	if used {
		own.Groups = append(own.Groups, &directory.Group{
			Name: named, Description: "Everyone with an account in " + c.Reading.System,
			Members: &directory.Members{Users: refs(accountNames(c.Reading), c.usable())},
		})
	}
	return document
}

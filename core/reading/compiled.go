package reading

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// Compiled is a reading with the people of a map in the place of their accounts. What stands in
// front of the system is left aside: it is not of this system.
type Compiled struct {
	*Reading
	*Matched
	Atlas  *atlas.Atlas  // of the reading alone: the users of the map who have an account, and strangers
	System *atlas.System // the only one of it
	Now    *atlas.Atlas  // the map with which it was matched
	names  spelled
	home   string // the directory that holds what is the system's own
}

// spelled are the names under which accounts and groups of a system stand in its atlas, and the
// other way round for groups; and what groups are called of which there are several by one name.
type spelled struct{ users, groups, own, called map[string]string }

// Compile compiles a reading of a system of a map. The error joins a *place.Error for everything
// in what was read that no map can hold.
func Compile(r *Reading, now *atlas.Atlas, s *gate.System) (*Compiled, error) {
	r = complete(r)
	c := &Compiled{Reading: r, Matched: match(r, s, now.Book), Now: now}
	c.home = c.directory()
	home := c.home
	c.names = spelled{spell(accountNames(r), home), spell(groupNames(r), home), map[string]string{}, map[string]string{}}
	for own, full := range c.names.groups {
		c.names.own[full] = own
	}
	for i := range r.Groups {
		if g := &r.Groups[i]; g.Of != "" {
			c.names.called[g.Name] = g.Of
		}
	}
	for account, u := range c.UserOf {
		c.names.users[account] = now.Book.UserName(u)
	}
	document := &gate.System{
		Name: s.Name, Type: s.Type, Title: s.Title, Place: s.Place,
		Gate: gate.Renamed(r.Document, c.renamed(c.names.users, home), c.renamed(c.names.groups, home)),
	}
	a, err := atlas.Compile(&atlas.Map{
		Title: now.Title, Zone: now.Frame.Zone, Networks: now.Frame.Networks, Windows: now.Frame.Windows,
		Directories: c.directories(home), Systems: []*gate.System{document},
	})
	if err != nil {
		return nil, err
	}
	c.Atlas, c.System = a, a.Systems[0]
	return c, nil
}

// complete is a reading that has all whom its document names. A group that is not there has nobody
// in it, and an account that is not there cannot be used; without them a line that names one would
// give nothing to the others either.
func complete(r *Reading) *Reading {
	accounts, groups := map[string]bool{}, map[string]bool{}
	for _, a := range r.Accounts {
		accounts[a.Name] = true
	}
	for _, g := range r.Groups {
		groups[g.Name] = true
	}
	whole := *r
	whole.Native = nil // only a delivery has to know it
	named := func(users, inGroups []name.Ref) {
		for _, u := range users {
			if !accounts[u.Name] {
				accounts[u.Name] = true
				whole.Accounts = append(
					slices.Clip(whole.Accounts),
					Account{Name: u.Name, Note: "it is granted something, and there is no such account"},
				)
			}
		}
		for _, g := range inGroups {
			if !groups[g.Name] {
				groups[g.Name] = true
				whole.Groups = append(slices.Clip(whole.Groups), Group{Name: g.Name})
			}
		}
	}
	gate.Inspect(r.Document,
		func(w *gate.Who) { named(w.Users, w.Groups) },
		func(p *directory.People) { named(p.Users, p.Groups) },
	)
	return &whole
}

// renamed gives the names of accounts or groups by their names there.
func (c *Compiled) renamed(names map[string]string, home string) func(string) string {
	return func(own string) string {
		if full, known := names[own]; known {
			return full
		}
		return name.Full(home, own)
	}
}

// directory is the name of the directory that holds what is the system's own: that to which it was
// adopted before, or a new one.
func (c *Compiled) directory() string {
	if d := ownIn(c.Now.Book, c.Reading.System); d != nil && c.keeps(d) {
		return d.Name
	}
	home := c.Reading.System
	for slices.ContainsFunc(c.Now.Book.Directories(),
		func(d *directory.Document) bool { return name.Equal(d.Name, home) }) {
		home += "-itself"
	}
	return home
}

// keeps says whether the directory of what is the system's own can hold more: none of its records is
// called as an account that belongs to no user.
func (c *Compiled) keeps(d *directory.Document) bool {
	for own, full := range spell(accountNames(c.Reading), d.Name) {
		if _, tied := c.UserOf[own]; tied {
			continue
		}
		if _, err := c.Now.Book.LookUser(full, ""); err == nil {
			return false
		}
	}
	return true
}

// directories are those of the map with the users who have an account, and that of the system.
func (c *Compiled) directories(home string) []*directory.Document {
	book := c.Now.Book
	var list []*directory.Document
	by := map[string]*directory.Document{}
	for _, d := range book.Directories() {
		by[d.Name] = &directory.Document{Name: d.Name, Exact: d.Exact}
		list = append(list, by[d.Name])
	}
	own := by[home]
	if own == nil {
		own = &directory.Document{Name: home}
	}
	for i := range c.Accounts {
		a := &c.Accounts[i]
		active := a.Active
		u, known := c.UserOf[a.Name]
		if !known {
			own.Users = append(
				own.Users,
				&directory.User{Name: strings.TrimPrefix(c.names.users[a.Name], home+"/"), Active: &active},
			)
			continue
		}
		record := book.User(u)
		in := by[book.UserHome(u)]
		in.Users = append(
			in.Users,
			&directory.User{ID: record.ID, Name: record.Name, Active: &active, Attributes: record.Attributes},
		)
	}
	for i := range c.Groups {
		g := &c.Groups[i]
		own.Groups = append(
			own.Groups,
			c.group(g, home, &directory.Members{Users: refs(g.Accounts, c.names.users), Groups: refs(g.Groups, c.names.groups)}),
		)
	}
	if own != by[home] {
		list = append(list, own)
	}
	return list
}

// group is a group there as one of the directory of what is the system's own.
func (c *Compiled) group(g *Group, home string, m *directory.Members) *directory.Group {
	return &directory.Group{Name: strings.TrimPrefix(c.names.groups[g.Name], home+"/"), Members: m}
}

// refs are references to accounts or groups there by other names; what has none is left out.
func refs(list []string, names map[string]string) (refs []name.Ref) {
	for _, own := range list {
		if full, known := names[own]; known {
			refs = append(refs, name.Ref{Name: full})
		}
	}
	return refs
}

func accountNames(r *Reading) (names []string) {
	for _, a := range r.Accounts {
		names = append(names, a.Name)
	}
	return names
}

func groupNames(r *Reading) (names []string) {
	for _, g := range r.Groups {
		names = append(names, g.Name)
	}
	return names
}

// spell gives the full names of what is the system's own. Systems tell names apart that a map
// does not: a second one that differs in case alone has its number at its end.
func spell(names []string, home string) map[string]string {
	all, taken := map[string]string{}, map[string]bool{}
	for _, own := range names {
		seen := name.Line(own) // a name there may have signs that no name of a map has
		full := seen
		for n := 2; taken[name.Fold(full)]; n++ {
			full = seen + "~" + strconv.Itoa(n)
		}
		taken[name.Fold(full)] = true
		all[own] = name.Full(home, full)
	}
	return all
}

// Strangers are the accounts that belong to nobody of the map, and that the link does not leave
// aside.
func (c *Compiled) Strangers() (list []Account) {
	for _, a := range c.Accounts {
		if _, known := c.UserOf[a.Name]; !known && !c.Ignored(a.Name) {
			list = append(list, a)
		}
	}
	slices.SortFunc(list, func(a, b Account) int { return strings.Compare(a.Name, b.Name) })
	return list
}

// groupOn is the group there by some name that counts on an object.
func (c *Compiled) groupOn(own, object string) string {
	for i := range c.Groups {
		if g := &c.Groups[i]; g.own() == own && (g.On == "" || g.On == object) {
			return g.Name
		}
	}
	return own
}

// called is what a group there is called, of which there may be several by one name.
func (c *Compiled) called(own string) string { return cmp.Or(c.names.called[own], own) }

// Full is the name under which an account stands in the atlas.
func (c *Compiled) Full(account string) string { return c.names.users[account] }

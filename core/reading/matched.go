package reading

import (
	"cmp"
	"maps"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// Matched ties the accounts and groups of a reading to users and groups of a map, by how the link
// says that names are written there.
type Matched struct {
	UserOf  map[string]directory.UserID  // by account
	GroupOf map[string]directory.GroupID // by group there
	// Unclear says of accounts and groups there that more than one record of the map may be meant.
	Unclear map[string][]string
	theirs  map[directory.GroupID]string // what groups of the map are called there
	surely  map[string]directory.UserID  // of UserOf those that are tied by an identifier
	ignored map[string]bool
	aside   map[string]bool // the groups there that the link leaves aside
}

// Ignored says whether the link leaves an account aside.
func (m *Matched) Ignored(account string) bool { return m.ignored[account] }

// Surely says that an account belongs to its user by an identifier, whatever else is called so.
func (m *Matched) Surely(account string) bool {
	_, is := m.surely[account]
	return is
}

// match ties a reading to the records of a book.
func match(r *Reading, s *gate.System, book *directory.Book) *Matched {
	m := &Matched{
		Unclear: map[string][]string{}, theirs: map[directory.GroupID]string{},
		ignored: map[string]bool{}, aside: map[string]bool{},
	}
	link := s.Link
	if link == nil {
		link = &gate.Link{}
	}
	adopted := ownIn(book, r.System) != nil
	accounts := m.accounts(r, s, link, book)
	if adopted {
		tieAdopted(m.UserOf, m.Unclear, accounts, spell(accountNames(r), r.System), book.LookUser)
	}
	m.groups(r, s, link, book)
	if !adopted {
		return m
	}
	var single []string
	for i := range r.Groups {
		if g := &r.Groups[i]; g.Of == "" {
			single = append(single, g.Name)
		}
	}
	for _, group := range tieAdopted(m.GroupOf, m.Unclear, single, spell(groupNames(r), r.System), book.LookGroup) {
		m.theirs[m.GroupOf[group]] = group
	}
	return m
}

// accounts ties the accounts that the link does not leave aside, and gives their names.
func (m *Matched) accounts(r *Reading, s *gate.System, link *gate.Link, book *directory.Book) (names []string) {
	for _, a := range r.Accounts {
		if m.ignored[a.Name] = link.Ignore.Account(a.Name); !m.ignored[a.Name] {
			names = append(names, a.Name)
		}
	}
	users := tying[directory.UserID]{
		there: names, unclear: m.Unclear, home: s.Directory.Name, full: book.UserName, homeOf: book.UserHome,
	}
	m.UserOf = users.identified(r, usersBy(r, book))
	m.surely = maps.Clone(m.UserOf)
	write := userPattern(link)
	for u := range book.AllUsers {
		users.add(u, write, book.User(u).First)
	}
	maps.Copy(m.UserOf, users.tied())
	return names
}

// groups ties the groups that the link does not leave aside.
func (m *Matched) groups(r *Reading, s *gate.System, link *gate.Link, book *directory.Book) {
	var names []string
	known := map[string]bool{}
	for i := range r.Groups {
		g := &r.Groups[i]
		if m.aside[g.Name] = link.Ignore.Group(g.own()); !m.aside[g.Name] && !known[g.own()] {
			names, known[g.own()] = append(names, g.own()), true
		}
	}
	tied := tying[directory.GroupID]{
		there: names, unclear: m.Unclear, home: s.Directory.Name, full: book.GroupName, homeOf: book.GroupHome,
	}
	write := groupPattern(link)
	for g := range book.AllGroups {
		tied.add(g, write, groupValue(book.Group(g)))
	}
	by := tied.tied()
	for group, g := range by {
		m.theirs[g] = group
	}
	m.GroupOf = map[string]directory.GroupID{}
	for _, group := range r.Groups {
		if g, is := by[group.own()]; is {
			m.GroupOf[group.Name] = g
		}
	}
}

// ownIn is the directory of what a system has of its own: it has the system's name, and no source from
// which people come; nil where the map has none.
func ownIn(book *directory.Book, system string) *directory.Document {
	for _, d := range book.Directories() {
		if name.Equal(d.Name, system) && d.Source == nil {
			return d
		}
	}
	return nil
}

// tieAdopted ties what is clearly no other record to those of the directory of what the system has
// of its own, where it was adopted: whatever the link says of names, they stand there as they are
// called. It returns what it tied.
func tieAdopted[ID comparable](
	tied map[string]ID,
	unclear map[string][]string,
	there []string,
	full map[string]string,
	look func(full, home string) (ID, error),
) (list []string) {
	taken := map[ID]bool{}
	for _, id := range tied {
		taken[id] = true
	}
	for _, own := range there {
		if _, is := tied[own]; is || len(unclear[own]) > 0 {
			continue
		}
		if id, err := look(full[own], ""); err == nil && !taken[id] {
			tied[own], taken[id] = id, true
			list = append(list, own)
		}
	}
	return list
}

// userPattern is how names of users are written by a link, and groupPattern how those of groups are.
func userPattern(l *gate.Link) name.Pattern {
	return name.ParsePattern(cmp.Or(l.Names.Users, "{userName}"))
}

func groupPattern(l *gate.Link) name.Pattern {
	return name.ParsePattern(cmp.Or(l.Names.Groups, "{name}"))
}

func groupValue(g *directory.Group) func(string) string {
	return func(attribute string) string {
		if strings.EqualFold(attribute, "name") {
			return g.Name
		}
		return ""
	}
}

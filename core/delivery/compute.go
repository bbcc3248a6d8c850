package delivery

import (
	"cmp"
	"slices"
	"strings"
	"sync"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/reading"
	"gatemap/core/rule"
)

// Compute says what a system is to hold by the map with which its reading was compiled; t is the
// system's gate type.
//
// A group is granted what all its members hold by the map, and no more: what is denied to one of
// them, or holds on a condition, is left out. In that way nobody is given what the map does not give
// them, whatever the gate type makes of its lines.
func Compute(c *reading.Compiled, t gate.Type) (*Wanted, error) {
	return compute(c, t, func(m *computing) {
		m.candidates()
		m.tested()
	})
}

func compute(c *reading.Compiled, t gate.Type, find func(*computing)) (*Wanted, error) {
	ask, err := c.ByMap(t)
	if err != nil {
		return nil, err
	}
	m := &computing{
		of: c, ask: ask, book: c.Now.Book, link: ask.System().Document.Link, at: map[whom][]candidate{},
		members: map[directory.GroupID][]directory.UserID{},
		listed:  map[string][]string{},
	}
	m.w = &Wanted{
		link:     m.link,
		Document: ask.System().Document.Gate,
		There:    sync.OnceValue(func() map[string]map[Permission]bool { return given(c) }),
	}
	find(m)
	for _, objects := range m.listed {
		slices.Sort(objects)
	}
	m.named()
	m.grants()
	m.existing()
	m.sorted()
	return m.w, nil
}

// whom is a group or a user that lines name.
type whom struct {
	user  bool
	group directory.GroupID
	id    directory.UserID
}

// candidate is something that lines give to one whom they name.
type candidate struct {
	Permission
	lines   []string // those that may be made to alone
	line    string   // the first of them
	needs   []string // what its condition asks for
	sure    bool     // whoever is named holds it, always
	when    bool     // all lines that give it have a condition
	looked  bool     // somebody was asked
	depends bool     // some hold it in some situations only
	fails   int      // how many do not hold it
	under   bool     // something that lies below it is not held
}

// sometimes says that not all who are named surely hold it always.
func (x *candidate) sometimes() bool { return !x.sure && (x.depends || x.when && !x.looked) }

type computing struct {
	of   *reading.Compiled
	ask  *reading.Holders
	book *directory.Book
	link *gate.Link
	w    *Wanted

	at      map[whom][]candidate // by object and right
	listed  map[string][]string  // the objects on which a right can be held, by right, in order
	members map[directory.GroupID][]directory.UserID
	names   map[whom]string // there, of those who can be delivered
	left    LeftOut
}

// candidates are what the lines of the system give to those whom they name.
func (m *computing) candidates() {
	index := &m.ask.System().Site.Index
	lines := index.All()
	m.ask.System().Gate.Given(func(x rule.Given) {
		permission := Permission{x.Object, x.Right}
		can := m.lists(permission)
		if !can && m.of.Has(x.Object) {
			return // it is about what lies below
		}
		for n := range x.Gives.All() {
			r := lines[n]
			if r.Nobody() {
				continue
			}
			if !can {
				m.left.Add(r.Name, "", ByObject, permission)
				continue
			}
			switch {
			case r.Everyone || r.Tested:
				m.left.Add(r.Name, "", ByEveryone, permission)
			case len(r.Claims) > 0:
				m.left.Add(r.Name, "", ByClaim, permission)
			}
			sure := x.Plain && x.Takes.Empty() && r.When.Always() && !r.Excepts() && r.Only == nil
			alone := (r.When.Always() || m.link.Unexpressed == gate.LetThrough) && !r.Excepts() && r.Only == nil
			add := func(w whom) {
				list := m.at[w]
				if n := len(list); n > 0 && list[n-1].Permission == permission {
					if alone && !slices.Contains(list[n-1].lines, r.Name) {
						list[n-1].lines = append(list[n-1].lines, r.Name)
					}
					list[n-1].sure = list[n-1].sure || sure
					list[n-1].when = list[n-1].when && !r.When.Always()
					return
				}
				x := candidate{Permission: permission, line: r.Name, needs: needed(r), sure: sure, when: !r.When.Always()}
				if alone {
					x.lines = []string{r.Name}
				}
				m.at[w] = append(list, x)
			}
			for _, g := range r.Groups {
				add(whom{group: g})
			}
			for _, u := range r.Users {
				add(whom{user: true, id: u})
			}
		}
	})
}

// lists says whether something is there on which a right can be held, and notes it.
func (m *computing) lists(p Permission) bool {
	if !m.of.Has(p.Object) || !m.of.Can(p.Object, p.Right) {
		return false
	}
	m.listed[p.Right] = append(m.listed[p.Right], p.Object)
	return true
}

// grants are those that are delivered, the groups that have them, and who is in these.
func (m *computing) grants() {
	through := LeftOut{}
	on := map[directory.UserID]bool{}
	for w, list := range m.at {
		named, can := m.names[w]
		used := false
		m.below(list)
		for i := range list {
			x := &list[i]
			if why := m.kept(x); why != "" {
				l := m.left.Add(x.line, m.full(w), why, x.Permission)
				l.Needs, l.People = x.needs, max(l.People, x.fails)
				continue
			}
			if x.sometimes() {
				through.Add(x.line, m.full(w), ByCondition, x.Permission).Needs = x.needs
			}
			if !can {
				continue
			}
			used = true
			g := Grant{Object: x.Object, Right: x.Right, Line: x.line, Lines: x.lines}
			if w.user {
				g.Account = named
			} else {
				g.Group = named
			}
			m.w.Grants = append(m.w.Grants, g)
		}
		switch {
		case used && w.user:
			on[w.id] = true
		case used:
			g := Group{Name: named, Of: m.full(w), Used: true}
			for _, u := range m.members[w.group] {
				if account, can := m.names[whom{user: true, id: u}]; can {
					on[u] = true
					g.Accounts = append(g.Accounts, account)
				}
			}
			m.w.Groups = append(m.w.Groups, g)
		}
	}
	for u := range on {
		m.w.Accounts = append(
			m.w.Accounts,
			Account{m.names[whom{user: true, id: u}], m.book.UserName(u), m.book.User(u).ID, true},
		)
	}
	m.w.Left, m.w.Through = m.left.List(), through.List()
}

// kept says why a candidate is not given; "" where it is.
func (m *computing) kept(x *candidate) Why {
	switch {
	case x.fails > 0:
		return ByMembers
	case x.sometimes() && m.link.Unexpressed != gate.LetThrough:
		return ByCondition
	case x.under:
		return ByBelow
	}
	return ""
}

// full is the name of a group or user in the map.
func (m *computing) full(w whom) string {
	if w.user {
		return m.book.UserName(w.id)
	}
	return m.book.GroupName(w.group)
}

func (m *computing) sorted() {
	w := m.w
	slices.SortFunc(w.Accounts, func(a, b Account) int { return strings.Compare(a.Name, b.Name) })
	slices.SortFunc(w.Groups, func(a, b Group) int { return strings.Compare(a.Name, b.Name) })
	for i := range w.Groups {
		slices.Sort(w.Groups[i].Accounts)
	}
	slices.SortFunc(w.Grants, func(a, b Grant) int {
		return cmp.Or(
			strings.Compare(a.Group, b.Group),
			strings.Compare(a.Account, b.Account),
			a.Permission().Compare(b.Permission()),
		)
	})
	slices.SortFunc(w.Problems, func(a, b Problem) int {
		return cmp.Or(strings.Compare(a.Record, b.Record), strings.Compare(a.Name, b.Name))
	})
}

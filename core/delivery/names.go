package delivery

import (
	"gatemap/core/directory"
	"gatemap/core/name"
)

// named gives all who may be delivered the name that they have there. A name that is not clearly
// theirs is a problem, and they get none.
func (m *computing) named() {
	m.names = map[whom]string{}
	accounts := map[directory.UserID]string{}
	for account, u := range m.of.UserOf {
		accounts[u] = account
	}
	users, groups, done := map[string][]whom{}, map[string][]whom{}, map[whom]bool{}
	add := func(w whom, named string, by map[string][]whom, aside bool) {
		switch {
		case named == "":
			m.problem(w, named, NoName)
		case aside:
			m.problem(w, named, NotOurs)
		default:
			m.names[w] = named
			by[name.Fold(named)] = append(by[name.Fold(named)], w)
		}
	}
	user := func(w whom) {
		if done[w] {
			return
		}
		done[w] = true
		named, there := accounts[w.id]
		if !there {
			named = m.of.WrittenUser(m.link, w.id)
		}
		add(w, named, users, m.link.Ignore.Account(named))
	}
	for w := range m.at {
		if w.user {
			user(w)
			continue
		}
		named := m.of.WrittenGroup(m.link, w.group)
		add(w, named, groups, m.link.Ignore.Group(named))
	}
	for _, list := range m.members {
		for _, u := range list {
			user(whom{user: true, id: u})
		}
	}
	there, mine := map[string]bool{}, map[string]whom{} // by folded name
	for i := range m.of.Accounts {
		a := m.of.Accounts[i].Name
		there[name.Fold(a)] = true
		if u, tied := m.of.UserOf[a]; tied {
			mine[a] = whom{user: true, id: u}
		}
	}
	m.unclear(users, there, mine)
	there, mine = map[string]bool{}, map[string]whom{}
	for i := range m.of.Groups {
		a := m.of.Groups[i].Name
		there[name.Fold(a)] = true
		if g, tied := m.of.GroupOf[a]; tied {
			mine[a] = whom{group: g}
		}
	}
	m.unclear(groups, there, mine)
}

// unclear takes the names that several records have, and those of things there that belong to
// another record or to none: there are their folded names, and mine who they belong to.
func (m *computing) unclear(by map[string][]whom, there map[string]bool, mine map[string]whom) {
	for folded, list := range by {
		for _, w := range list {
			named := m.names[w]
			why := TwoRecords
			owner, tied := mine[named]
			surely := tied && owner.user && m.of.Surely(named)
			if len(list) == 1 || surely {
				if tied && owner == w || !there[folded] {
					continue
				}
				why = OfOthers
			}
			m.problem(w, named, why)
			delete(m.names, w)
		}
	}
}

func (m *computing) problem(w whom, named string, why NameFault) {
	m.w.Problems = append(m.w.Problems, Problem{m.full(w), named, why})
}

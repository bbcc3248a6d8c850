package delivery

import (
	"gatemap/core/reading"
	"gatemap/core/rule"
)

// existing adds the accounts that are there of those who are switched off or have ended, and the
// groups that are there and granted nothing.
func (m *computing) existing() {
	m.w.Known = map[string]string{}
	for _, a := range m.of.Strangers() {
		if a.Active && len(m.of.Unclear[a.Name]) == 0 {
			m.w.Unknown = append(m.w.Unknown, a.Name)
		}
	}
	for account, u := range m.of.UserOf {
		m.w.Known[account] = m.book.UserName(u)
		if m.ask.About(u); m.ask.Off() {
			m.w.Accounts = append(m.w.Accounts, Account{account, m.book.UserName(u), m.book.User(u).ID, false})
		}
	}
	used := map[string]bool{}
	for _, g := range m.w.Groups {
		used[g.Name] = true
	}
	for i := range m.of.Groups {
		there := &m.of.Groups[i]
		g, tied := m.of.GroupOf[there.Name]
		if !tied || used[there.Name] {
			continue
		}
		stays := Group{Name: there.Name, Of: m.book.GroupName(g)}
		for _, account := range there.Accounts {
			if u, known := m.of.UserOf[account]; known && m.ask.About(u).In(g) && !m.ask.Off() {
				stays.Accounts = append(stays.Accounts, account)
			}
		}
		m.w.Groups = append(m.w.Groups, stays)
	}
}

// given is what groups and accounts are given there, in any situation.
func given(c *reading.Compiled) map[string]map[Permission]bool {
	all := map[string]map[Permission]bool{}
	accounts := map[string]string{}
	for i := range c.Accounts {
		accounts[c.Full(c.Accounts[i].Name)] = c.Accounts[i].Name
	}
	add := func(named string, p Permission) {
		if all[named] == nil {
			all[named] = map[Permission]bool{}
		}
		all[named][p] = true
	}
	lines := c.System.Site.Index.All()
	c.System.Gate.Given(func(x rule.Given) {
		for n := range x.Gives.All() {
			r := lines[n]
			if r.Nobody() || !r.When.Always() || r.Excepts() {
				continue
			}
			for _, g := range r.Groups {
				add(c.GroupThere(g), Permission{x.Object, x.Right})
			}
			for _, u := range r.Users {
				add(accounts[c.Atlas.Book.UserName(u)], Permission{x.Object, x.Right})
			}
		}
	})
	return all
}

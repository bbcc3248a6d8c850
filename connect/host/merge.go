package host

import (
	"cmp"
	"maps"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// merging puts the hosts of one system together. A group of the reading has those who are in it on
// every host; who is in it on some only stands in the lines of these hosts.
type merging struct {
	like    *hosts.Document
	reading *reading.Reading
	rows    func(int)
	hosts   []*machine
}

func (m *merging) add(h *machine) {
	m.hosts = append(m.hosts, h)
	m.rows(len(m.hosts))
}

func (m *merging) whole() *reading.Reading {
	d := &hosts.Document{Hosts: map[string][]place.Text{}}
	if m.like != nil {
		maps.Copy(d.Hosts, m.like.Hosts)
	}
	r := m.reading
	logins := map[*machine][]hosts.Login{}
	for _, h := range m.hosts {
		logins[h] = h.logins()
	}
	accounts, members := m.accounts(), m.members()
	for _, h := range m.hosts {
		if !named(d.Hosts, h.name) {
			d.Hosts[h.name] = []place.Text{{Value: h.name}}
		}
		at := []name.Ref{{Name: h.name}}
		for _, l := range logins[h] {
			l.Hosts = at
			if m.spread(&l.Who, h, members); !l.Empty() {
				d.Login = append(d.Login, l)
			}
		}
		if off := h.offHere(accounts); len(off) > 0 {
			d.Login = append(d.Login, hosts.Login{Who: gate.Who{Users: off}, Hosts: at, Effect: "deny"})
		}
		for _, l := range h.lines {
			l.Hosts = at
			if m.spread(&l.Who, h, members); !l.Empty() {
				d.Elevate = append(d.Elevate, l)
			}
		}
		h.withoutLogin()
		r.Beyond = append(r.Beyond, h.beyond...)
		r.Server = h.full
	}
	if len(m.hosts) > 1 {
		r.Server = m.hosts[0].full + " and others"
	}
	used := map[string]bool{}
	gate.Rewritten(d, func(w *gate.Who) {
		for _, g := range w.Groups {
			used[g.Name] = true
		}
	}, func(p *directory.People) {
		for _, g := range p.Groups {
			used[g.Name] = true
		}
	})
	for _, g := range slices.Sorted(maps.Keys(used)) {
		r.Groups = append(r.Groups, reading.Group{Name: g, Accounts: slices.DeleteFunc(slices.Clone(members[g]), func(n string) bool { return accounts[n] == nil })})
	}
	for _, n := range slices.Sorted(maps.Keys(accounts)) {
		r.Accounts = append(r.Accounts, *accounts[n])
	}
	r.Document = d
	return r
}

func named(sets map[string][]place.Text, host string) bool {
	for _, set := range sets {
		if slices.ContainsFunc(set, func(t place.Text) bool { return t.Value == host }) {
			return true
		}
	}
	return false
}

// accounts are those of all hosts that are told of. One that ended on each host cannot be used.
func (m *merging) accounts() map[string]*reading.Account {
	all := map[string]*reading.Account{}
	for _, h := range m.hosts {
		for n, a := range h.accounts {
			if !h.shown(n) {
				continue
			}
			if all[n] == nil {
				all[n] = &reading.Account{Name: n, Note: a.ended}
			}
			if a.ended == "" {
				all[n].Active, all[n].Note = true, ""
			}
		}
	}
	return all
}

// offHere are accounts that can be used on another host, and not on this.
func (h *machine) offHere(accounts map[string]*reading.Account) (list []name.Ref) {
	for _, n := range slices.Sorted(maps.Keys(accounts)) {
		if a := h.accounts[n]; accounts[n].Active && (a == nil || a.ended != "") {
			list = append(list, name.Ref{Name: n})
		}
	}
	return list
}

// members are those of each group that are in it on every host.
func (m *merging) members() map[string][]string {
	all := map[string][]string{}
	for i, h := range m.hosts {
		for g := range h.groups {
			if list := h.in(g); i == 0 {
				all[g] = list
			} else {
				all[g] = slices.DeleteFunc(all[g], func(n string) bool { return !slices.Contains(list, n) })
			}
		}
		for g := range all {
			if h.groups[g] == nil {
				all[g] = nil
			}
		}
	}
	return all
}

// spread adds to a line of one host those who are in its groups there and not on every host, and
// leaves out accounts that are the host's own.
func (m *merging) spread(w *gate.Who, h *machine, members map[string][]string) {
	more := func(users, groups []name.Ref) []name.Ref {
		users = slices.Clone(users)
		for _, g := range groups {
			for _, n := range h.in(g.Name) {
				if !slices.Contains(members[g.Name], n) && !slices.ContainsFunc(users, func(u name.Ref) bool { return u.Name == n }) && h.shown(n) {
					users = append(users, name.Ref{Name: n})
				}
			}
		}
		return users
	}
	shown := func(users []name.Ref) []name.Ref {
		return slices.DeleteFunc(users, func(u name.Ref) bool { return !h.shown(u.Name) })
	}
	w.Users = shown(more(w.Users, w.Groups))
	if w.Except != nil {
		except := *w.Except
		except.Users = shown(more(except.Users, except.Groups))
		w.Except = &except
	}
}

// withoutLogin notes accounts that sudoers gives something and that cannot log in: no system of
// hosts says that they can run it, and a program that runs as one of them can.
func (h *machine) withoutLogin() {
	for _, n := range slices.Sorted(maps.Keys(h.named)) {
		if a := h.accounts[n]; !h.may[n] && a != nil && a.ended == "" {
			h.notes("sudoers", "%s may run commands, and cannot log in (%s)", n, cmp.Or(h.unable(a), "sshd or the access list keeps it out"))
		}
	}
}

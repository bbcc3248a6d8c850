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

// merging puts the hosts of one system together. A group that has others in it on some hosts is one
// of its own for each.
type merging struct {
	like    *hosts.Document
	reading *reading.Reading
	rows    func(int)
	hosts   []*machine
	differ  map[string]bool         // groups that are not the same on every host
	ours    func(group string) bool // says of a group that it is delivered, which is told even where no line names it
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
	accounts := m.accounts()
	m.differ = m.differing()
	for _, h := range m.hosts {
		if !named(d.Hosts, h.name) {
			d.Hosts[h.name] = []place.Text{{Value: h.name}}
		}
		at := []name.Ref{{Name: h.name}}
		for _, l := range logins[h] {
			l.Hosts = at
			if m.placed(&l.Who, h); !l.Empty() {
				d.Login = append(d.Login, l)
			}
		}
		if off := h.offHere(accounts); len(off) > 0 {
			d.Login = append(d.Login, hosts.Login{Who: gate.Who{Users: off}, Hosts: at, Effect: "deny"})
		}
		for _, l := range h.lines {
			l.Hosts = at
			if m.placed(&l.Who, h); !l.Empty() {
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
	m.groups(d, accounts)
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

// differing are the groups that do not have the same accounts in them on every host.
func (m *merging) differing() map[string]bool {
	all := map[string]bool{}
	for _, h := range m.hosts {
		for g := range h.groups {
			all[g] = all[g] || slices.ContainsFunc(m.hosts, func(other *machine) bool {
				return other.groups[g] == nil || !slices.Equal(other.in(g), h.in(g))
			})
		}
	}
	return all
}

// called is what the reading calls a group of a host.
func (m *merging) called(group string, h *machine) string {
	if m.differ[group] {
		return group + " on " + h.name
	}
	return group
}

// placed gives the groups of a line of one host the names that they have in the reading, and leaves
// out accounts that are the host's own.
func (m *merging) placed(w *gate.Who, h *machine) {
	users := func(list []name.Ref) []name.Ref {
		return slices.DeleteFunc(slices.Clone(list), func(u name.Ref) bool { return !h.shown(u.Name) })
	}
	groups := func(list []name.Ref) (renamed []name.Ref) {
		for _, g := range list {
			renamed = append(renamed, name.Ref{Name: m.called(g.Name, h)})
		}
		return renamed
	}
	w.Users, w.Groups = users(w.Users), groups(w.Groups)
	if w.Except != nil {
		w.Except = &directory.People{Users: users(w.Except.Users), Groups: groups(w.Except.Groups)}
	}
}

// groups are those that lines name.
func (m *merging) groups(d *hosts.Document, accounts map[string]*reading.Account) {
	used := map[string]bool{}
	note := func(list []name.Ref) {
		for _, g := range list {
			used[g.Name] = true
		}
	}
	gate.Inspect(d,
		func(w *gate.Who) { note(w.Groups) },
		func(p *directory.People) { note(p.Groups) })
	for _, h := range m.hosts {
		for _, g := range slices.Sorted(maps.Keys(h.groups)) {
			made := reading.Group{Name: m.called(g, h)}
			if is, told := used[made.Name]; !is && (told || !m.ours(g)) {
				continue
			}
			used[made.Name] = false // it is the same on all other hosts
			if m.differ[g] {
				made.Of, made.On = g, h.name
			}
			made.Accounts = slices.DeleteFunc(slices.Clone(h.in(g)), func(n string) bool { return accounts[n] == nil })
			m.reading.Groups = append(m.reading.Groups, made)
		}
	}
}

// withoutLogin notes accounts but root that sudoers gives something and that cannot log in: no system of
// hosts says that they can run it, and a program that runs as one of them can.
func (h *machine) withoutLogin() {
	for _, n := range slices.Sorted(maps.Keys(h.named)) {
		if a := h.accounts[n]; !h.may[n] && a != nil && a.uid != 0 && a.ended == "" {
			h.notes("sudoers", "%s may run commands, and cannot log in (%s)", n,
				cmp.Or(h.unable(a), "sshd or the access list keeps it out"))
		}
	}
}

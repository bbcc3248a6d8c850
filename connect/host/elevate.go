package host

import (
	"context"
	"maps"
	"slices"
	"strings"
	"time"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// anyone is the account of lines that run commands as any account.
const anyone = "*"

// entry is one command of sudoers, for those whom its rule is for.
type entry struct {
	who    gate.Who
	people map[string]bool
	as     map[string]bool // every account: anyone alone
	command
	member
}

// readElevations reads all of sudoers, and what its paths with wildcards lead to.
func (h *machine) readElevations(ctx context.Context) error {
	there, err := h.run(ctx, "test -e /etc/sudoers", "")
	if err != nil || there.status != 0 {
		return err
	}
	text, err := h.privileged(ctx, "cvtsudoers -f json /etc/sudoers")
	if err != nil {
		return err
	}
	s, err := parseSudoers(text)
	if err != nil {
		return err
	}
	if err := h.lookUp(ctx, s.accounts(), s.groups()); err != nil {
		return err
	}
	out, err := h.must(ctx, `sed -n 's/^sudoers:[[:space:]]*//p' /etc/nsswitch.conf; true`, "")
	if err != nil {
		return err
	}
	if places := strings.Fields(out); len(places) > 1 || len(places) == 1 && places[0] != "files" {
		h.notes("sudoers", "rules come from %s too, and only files are read", strings.Join(places, " "))
	}
	h.named = map[string]bool{}
	entries := h.entries(s, time.Now())
	if err := h.list(ctx, entries); err != nil {
		return err
	}
	h.lines = h.elevations(entries, s)
	return nil
}

// members visits every member of the lists of users.
func (s *sudoers) members(visit func(m *member)) {
	each := func(list []member) {
		for i := range list {
			visit(&list[i])
		}
	}
	for _, list := range s.UserAliases {
		each(list)
	}
	for _, list := range s.RunasAliases {
		each(list)
	}
	for i := range s.Specs {
		each(s.Specs[i].Users)
		for j := range s.Specs[i].Commands {
			each(s.Specs[i].Commands[j].RunasUsers)
		}
	}
}

func (s *sudoers) accounts() (list []string) {
	s.members(func(m *member) { list = append(list, m.Username) })
	return list
}

func (s *sudoers) groups() (list []string) {
	s.members(func(m *member) { list = append(list, m.Usergroup) })
	return list
}

// entries are the rules for this host that are in force, in their order.
func (h *machine) entries(s *sudoers, now time.Time) (list []entry) {
	s.members(func(m *member) { h.settled(m) })
	for i := range s.Specs {
		sp := &s.Specs[i]
		if hostNetgroup(sp.Hosts, s.HostAliases) {
			h.notes("sudoers", "a rule is for hosts of a netgroup, and is not told")
			continue
		}
		if judged(sp.Hosts, s.HostAliases, h.here) != yes {
			continue
		}
		who, meant := h.whom(sp.Users, s.UserAliases)
		for j := range sp.Commands {
			c := &sp.Commands[j]
			if !inForce(c.Options, now) {
				continue
			}
			as := h.targets(c, s)
			h.options(c, as)
			for _, m := range flat(c.Commands, s.CommandAliases) {
				list = append(list, entry{who, meant, as, *c, m})
			}
		}
		for _, m := range flat(sp.Users, s.UserAliases) {
			for n := range meant {
				if m.Username != "ALL" && m.is(h.accounts[n]) {
					h.named[n] = true
				}
			}
		}
	}
	return list
}

// settled gives members that are numbers their names, and notes those that no system of hosts can
// name.
func (h *machine) settled(m *member) {
	switch {
	case m.UserGID != nil:
		if m.Usergroup = h.groupOf(*m.UserGID); m.Usergroup == "" {
			h.notes("sudoers", "the group with the number %d is not there", *m.UserGID)
		}
	case m.Netgroup != "":
		h.notes("sudoers", "the netgroup +%s: what it is given is not told", m.Netgroup)
	case m.NonUnixGroup != nil || m.NonUnixGID != nil:
		h.notes("sudoers", "a group that is none of Unix: what it is given is not told")
	case m.Username != "" && m.Username != "ALL" && h.accounts[m.Username] == nil:
		h.notes("sudoers", "it names %s, who has no account", m.Username)
	case m.Usergroup != "" && h.groups[m.Usergroup] == nil:
		h.notes("sudoers", "it names the group %s, which is not there", m.Usergroup)
	}
}

func hostNetgroup(list []member, aliases map[string][]member) bool {
	return slices.ContainsFunc(flat(list, aliases), func(m member) bool { return m.Netgroup != "" })
}

// whom is for whom a list of users is: as it is written where a line can say that, else by account.
func (h *machine) whom(list []member, aliases map[string][]member) (gate.Who, map[string]bool) {
	meant := map[string]bool{}
	for _, n := range h.ordered() {
		if judged(list, aliases, func(m *member) bool { return m.is(h.accounts[n]) }) == yes {
			meant[n] = true
		}
	}
	var w gate.Who
	for _, m := range flat(list, aliases) {
		users, groups := &w.Users, &w.Groups
		if m.Negated {
			if w.Except == nil {
				w.Except = &directory.People{}
			}
			users, groups = &w.Except.Users, &w.Except.Groups
		}
		switch {
		case m.Username == "ALL" && !m.Negated:
			w.Everyone = true
		case m.Usergroup != "" && h.groups[m.Usergroup] != nil:
			*groups = append(*groups, name.Ref{Name: m.Usergroup})
		default:
			for _, n := range h.ordered() {
				if m.is(h.accounts[n]) && m.Username != "ALL" {
					*users = append(*users, name.Ref{Name: n})
				}
			}
		}
	}
	if w.Everyone {
		w.Users, w.Groups = nil, nil
	}
	if !maps.Equal(meant, h.meantBy(&w)) {
		w = gate.Who{}
		for _, n := range slices.Sorted(maps.Keys(meant)) {
			w.Users = append(w.Users, name.Ref{Name: n})
		}
	}
	return w, meant
}

// meantBy are the accounts for which a line is.
func (h *machine) meantBy(w *gate.Who) map[string]bool {
	all := map[string]bool{}
	among := func(users, groups []name.Ref, a *account) bool {
		return slices.ContainsFunc(users, func(u name.Ref) bool { return u.Name == a.name }) ||
			slices.ContainsFunc(groups, func(g name.Ref) bool { return a.groups[g.Name] })
	}
	for n, a := range h.accounts {
		if (w.Everyone || among(w.Users, w.Groups, a)) && (w.Except == nil || !among(w.Except.Users, w.Except.Groups, a)) {
			all[n] = true
		}
	}
	return all
}

// targets are the accounts as which a command may be run.
func (h *machine) targets(c *command, s *sudoers) map[string]bool {
	as := map[string]bool{}
	switch {
	case len(c.RunasUsers) == 0 && len(c.RunasGroups) > 0:
		return as // as oneself, with another group
	case len(c.RunasUsers) == 0:
		as[s.usual()] = true
		return as
	}
	runs := func(a *account) bool {
		return judged(c.RunasUsers, s.RunasAliases, func(m *member) bool { return m.is(a) }) == yes
	}
	for n, a := range h.accounts {
		if runs(a) {
			as[n] = true
		}
	}
	if len(as) == len(h.accounts) && runs(&account{name: "\n", uid: -1}) {
		return map[string]bool{anyone: true}
	}
	return as
}

// usual is the account as which commands run where a rule does not say.
func (s *sudoers) usual() string {
	for i := range s.Defaults {
		if as, set := option(s.Defaults[i].Options, "runas_default").(string); set && len(s.Defaults[i].Binding) == 0 {
			return as
		}
	}
	return "root"
}

// options notes what a rule says that no system of hosts can.
func (h *machine) options(c *command, as map[string]bool) {
	written := make([]string, 0, len(c.Commands))
	for _, m := range c.Commands {
		written = append(written, m.Command+m.Cmndalias)
	}
	what := strings.Join(written, ", ")
	if len(c.RunasGroups) > 0 && !as[anyone] && !as["root"] {
		h.notes("sudoers", "%s: as another group", what)
	}
	for _, o := range []struct{ key, text string }{
		{"runcwd", "in another folder"}, {"runchroot", "in another root folder"}, {"notafter", "until a time"},
	} {
		if option(c.Options, o.key) != nil {
			h.notes("sudoers", "%s: %s (%v)", what, o.text, option(c.Options, o.key))
		}
	}
	if len(c.SELinux) > 0 {
		h.notes("sudoers", "%s: in a role of SELinux", what)
	}
	all := slices.ContainsFunc(c.Commands, func(m member) bool { return m.Command == "ALL" })
	if set, _ := option(c.Options, "setenv").(bool); set && !all {
		h.notes("sudoers", "%s: with variables of the caller's own", what)
	}
}

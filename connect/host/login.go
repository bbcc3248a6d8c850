package host

import (
	"slices"

	"gatemap/core/gate/hosts"
	"gatemap/core/name"
)

// logins are the lines of who may log in, in terms of the groups that decide where they do: a group
// that is let in, but for those of it who are not. Accounts that ended are no part of it: they can
// do nothing anyway.
func (h *machine) logins() (lines []hosts.Login) {
	h.may = map[string]bool{}
	let, able := map[string]bool{}, map[string]bool{}
	all := true
	for _, n := range h.ordered() {
		a := h.accounts[n]
		let[n] = h.lets(a) && h.admits(a)
		able[n] = h.unable(a) == ""
		h.may[n] = let[n] && able[n]
		all = all && let[n]
	}
	var l, kept hosts.Login
	kept.Effect = "deny"
	if all {
		l.Everyone = true
	} else {
		covered := map[string]bool{}
		for _, g := range h.deciding() {
			members := h.in(g)
			out := slices.DeleteFunc(slices.Clone(members), func(n string) bool { return let[n] })
			if len(members) == 0 || 2*len(out) >= len(members) {
				continue
			}
			l.Groups = append(l.Groups, name.Ref{Name: g})
			for _, n := range members {
				covered[n] = true
			}
		}
		for _, n := range h.ordered() {
			switch {
			case let[n] && !covered[n]:
				l.Users = append(l.Users, name.Ref{Name: n})
			case !let[n] && covered[n] && h.shown(n):
				kept.Users = append(kept.Users, name.Ref{Name: n})
			}
		}
	}
	for _, n := range h.ordered() {
		if let[n] && !able[n] && h.shown(n) && h.accounts[n].ended == "" {
			kept.Users = append(kept.Users, name.Ref{Name: n})
		}
	}
	l.Users = slices.DeleteFunc(l.Users, func(u name.Ref) bool { return !h.shown(u.Name) })
	if !l.Empty() {
		lines = append(lines, l)
	}
	if len(kept.Users) > 0 {
		lines = append(lines, kept)
	}
	return lines
}

// deciding are the groups that are named where it is said who is let in.
func (h *machine) deciding() (list []string) {
	for named := range h.groups {
		for _, p := range h.sshd.policies() {
			if slices.ContainsFunc(p.allowGroups, func(pattern string) bool { return like(pattern, named) }) {
				list = append(list, named)
			}
		}
		for i := range h.access {
			if h.access[i].lets && slices.Contains(h.access[i].names(), named) {
				list = append(list, named)
			}
		}
	}
	if h.loginGroup != "" &&
		slices.Contains(list, h.loginGroup) { // what is let in by it is told by the groups of which it is made
		list = slices.DeleteFunc(list, func(n string) bool { return n == h.loginGroup })
		for _, n := range h.byLogin {
			if h.groups[n] != nil {
				list = append(list, n)
			}
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// shown says whether an account is told of: one of a person, or one that may log in or elevate.
// All others are the host's own.
func (h *machine) shown(named string) bool {
	a := h.accounts[named]
	return a != nil && (h.own(a) || h.may[named] || h.named[named])
}

package host

import (
	"slices"
	"strings"
)

// admission is a line of the access list of pam_access (access.conf(5)).
type admission struct {
	text   string
	lets   bool
	users  []string // with EXCEPT among them
	places []string
}

func admissions(text string) (list []admission) {
	for line := range strings.Lines(text) {
		line, _, _ = strings.Cut(line, "#")
		parts := strings.SplitN(strings.TrimSpace(line), ":", 3)
		if len(parts) != 3 {
			continue
		}
		split := func(s string) []string {
			return strings.FieldsFunc(s, func(r rune) bool { return r == ' ' || r == '\t' || r == ',' })
		}
		list = append(
			list,
			admission{
				strings.Join(strings.Fields(line), " "),
				strings.TrimSpace(parts[0]) == "+",
				split(parts[1]),
				split(parts[2]),
			},
		)
	}
	return list
}

// names are the users and groups that it may name: a plain name may be one of both.
func (a *admission) names() (list []string) {
	for _, u := range a.users {
		list = append(list, strings.Trim(u, "()"))
	}
	return list
}

// admits says whether pam_access lets an account in: the first line for it and the place from
// which it comes decides. A line for some places lets in, and is told; one that keeps out from
// some places does not keep out.
func (h *machine) admits(a *account) bool {
	for i := range h.access {
		l := &h.access[i]
		if !listed(l.users, func(u string) bool { return h.meant(u, a) }) {
			continue
		}
		anywhere := listed(l.places, func(p string) bool { return p == "ALL" })
		somewhere := slices.ContainsFunc(
			l.places,
			func(p string) bool { return strings.ContainsAny(p, ".:/@") && !strings.HasPrefix(p, ":") },
		)
		if somewhere {
			h.notes("access list", "%s", l.text)
		}
		if anywhere || somewhere && l.lets {
			return l.lets
		}
	}
	return true
}

// listed says whether a list names something, and does not except it.
func listed(list []string, is func(string) bool) bool {
	before, except := list, []string(nil)
	if i := slices.Index(list, "EXCEPT"); i >= 0 {
		before, except = list[:i], list[i+1:]
	}
	return slices.ContainsFunc(before, is) && (len(except) == 0 || !listed(except, is))
}

// meant says whether an entry names an account.
func (h *machine) meant(entry string, a *account) bool {
	switch {
	case entry == "ALL":
		return true
	case strings.HasPrefix(entry, "@"):
		h.notes("access list", "the netgroup %s", entry)
		return false
	case strings.HasPrefix(entry, "(") && strings.HasSuffix(entry, ")"):
		return a.groups[strings.Trim(entry, "()")]
	}
	return entry == a.name || a.groups[entry]
}

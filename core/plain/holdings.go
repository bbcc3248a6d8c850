package plain

import (
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/rule"
)

func rolePoints(d *roles.Document) (permissions []Permission) {
	for _, r := range d.Resources {
		for _, right := range d.Rights {
			permissions = append(permissions, Permission{r.Path.Value, right.Value})
		}
	}
	return permissions
}

// roles: section 5.1.
func (s *system) roles(q *asked, d *roles.Document, p Permission) rule.State {
	allow, kept := rule.None, rule.Open
	for _, common := range d.EveryoneHas {
		if s.once("right", common.Name, p.Right, func() bool { return hasRight(d, common.Name, p.Right) }) &&
			s.once("down", "/", p.Object, func() bool { return comesDown(d, "/", p.Object) }) {
			allow = rule.Open
		}
	}
	for _, i := range mine(s, q, d.Mappings, func(m *roles.Mapping) *gate.Who { return &m.Who }) {
		m := &d.Mappings[i]
		if !s.once("right", m.Role.Name, p.Right, func() bool { return hasRight(d, m.Role.Name, p.Right) }) ||
			!s.once(
				"down",
				m.Object.Value,
				p.Object,
				func() bool { return comesDown(d, m.Object.Value, p.Object) },
			) || !tagged(d, m.Where, p.Object) {
			continue
		}
		if t := q.sit.holds(m.When); m.Effect == "deny" {
			kept = min(kept, takes(t))
		} else {
			allow = max(allow, gives(t))
		}
	}
	if allow == rule.None {
		return allow
	}
	for _, l := range d.Limits {
		under := l.Object.Value == "/" || p.Object == l.Object.Value || strings.HasPrefix(p.Object, l.Object.Value+"/")
		if under && !l.Off && matches(l.Rights, p.Right) && !s.excepted(q, l.Except) {
			kept = min(kept, takes(q.sit.holds(l.When)))
		}
	}
	return min(allow, kept)
}

func matches(list []gate.Pattern, right string) bool {
	return slices.ContainsFunc(list, func(p gate.Pattern) bool { return p.Matches(right) })
}

func hasRight(d *roles.Document, role, right string) bool {
	r := d.Roles[role]
	if matches(r.Without, right) {
		return false
	}
	if matches(r.Rights, right) {
		return true
	}
	for _, i := range r.Includes {
		if hasRight(d, i.Name, right) {
			return true
		}
	}
	return false
}

// above lists the declared resources from one upwards.
func above(d *roles.Document, path string) (chain []roles.Resource) {
	for at := path; ; at = at[:strings.LastIndex(at, "/")] {
		if at == "" {
			at = "/"
		}
		for _, r := range d.Resources {
			if r.Path.Value == at {
				chain = append(chain, r)
			}
		}
		if at == "/" {
			return chain
		}
	}
}

func comesDown(d *roles.Document, object, path string) bool {
	for _, r := range above(d, path) {
		if r.Path.Value == object {
			return true
		}
		if r.Sealed {
			return false
		}
	}
	return object == "/" // which need not be declared
}

func tagged(d *roles.Document, want map[string]string, path string) bool {
	for key, value := range want {
		have := ""
		for _, r := range above(d, path) {
			if v, ok := r.Tags[key]; ok {
				have = v
				break
			}
			if r.Sealed {
				break
			}
		}
		if have != value {
			return false
		}
	}
	return true
}

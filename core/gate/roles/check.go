package roles

import (
	"slices"

	"gatemap/core/gate"
	"gatemap/core/rule"
)

// Check looks at each mapping that gives.
func (t *compiled) Check(r *gate.Report) {
	all := make([]*rule.Rule, len(t.mappings))
	for i := range t.mappings {
		all[i] = t.mappings[i].Rule
	}
	for i := range t.mappings {
		m := &t.mappings[i]
		if m.Effect == rule.Taking || m.Nobody() {
			continue
		}
		if m.Everyone && m.When.Always() && m.rights.all(len(t.rights)) {
			r.AllToEveryone(m.Line, m.object)
		}
		r.Mapped(all, i, func(wide, narrow int) bool { return t.wider(r, wide, narrow) })
	}
}

// wider says whether a mapping covers the same people, resources and rights as
// another, on no harder condition.
func (t *compiled) wider(r *gate.Report, wide, narrow int) bool {
	o, m := &t.mappings[wide], &t.mappings[narrow]
	if o.Effect == rule.Taking || !m.rights.in(o.rights) || m.rights.empty() || !o.When.Covers(&m.When) {
		return false
	}
	applies := false
	for i := range t.resources {
		if slices.Contains(t.resources[i].mappings, narrow) {
			applies = true
			if !slices.Contains(t.resources[i].mappings, wide) {
				return false
			}
		}
	}
	return applies && o.Covers(r.Book, m.Rule)
}

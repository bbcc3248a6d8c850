package roles

import (
	"slices"

	"gatemap/core/gate"
)

// Check looks at each mapping that gives.
func (t *tree) Check(r *gate.Report) {
	for i := range t.mappings {
		m := &t.mappings[i]
		if m.deny || m.crowd.Nobody() {
			continue
		}
		r.DirectUsers(m.crowd, m.line)
		if m.crowd.Everyone && m.when.Always() && t.all().in(m.rights) {
			r.AllToEveryone(m.line, m.object)
		}
		r.Redundant(i, len(t.mappings), func(i int) gate.Line { return t.mappings[i].line },
			func(wide, narrow int) bool { return t.wider(r, wide, narrow) })
	}
}

func (t *tree) all() set {
	s := newSet(len(t.rights))
	for i := range t.rights {
		s.put(i)
	}
	return s
}

// wider says whether a mapping covers the same people, resources and rights as
// another, on no harder condition.
func (t *tree) wider(r *gate.Report, wide, narrow int) bool {
	o, m := &t.mappings[wide], &t.mappings[narrow]
	if o.deny || !m.rights.in(o.rights) || m.rights.empty() {
		return false
	}
	if !o.when.Covers(&m.when) {
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
	return applies && o.crowd.Covers(r.Book, m.crowd)
}

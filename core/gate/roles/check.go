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
		r.DirectUsers(&m.crowd, m.line)
		if m.crowd.Everyone && m.when.Always() && t.all().in(m.rights) {
			r.AllToEveryone(m.line, m.object)
		}
		t.repeats(r, i)
	}
}

func (t *tree) all() set {
	s := newSet(len(t.rights))
	for i := range t.rights {
		s.put(i)
	}
	return s
}

// repeats reports a mapping beside which another one adds nothing: it covers
// the same people, resources and rights, on no harder condition. Of two that
// are equal the later one is the repetition.
func (t *tree) repeats(r *gate.Report, index int) {
	for i := range t.mappings {
		if i == index || t.mappings[i].deny || !t.wider(r, i, index) || i > index && t.wider(r, index, i) {
			continue
		}
		r.Redundant(t.mappings[index].line, t.mappings[i].line)
		return
	}
}

func (t *tree) wider(r *gate.Report, wide, narrow int) bool {
	o, m := &t.mappings[wide], &t.mappings[narrow]
	if !m.rights.in(o.rights) || m.rights.empty() {
		return false
	}
	if !o.when.Always() && !slices.Equal(o.when.Needed(), m.when.Needed()) {
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
	return applies && o.crowd.Covers(r.Book, &m.crowd)
}

package roles

import (
	"fmt"
	"slices"

	"gatemap/core/finding"
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
			r.Find(finding.AllToEveryone, m.line,
				fmt.Sprintf("Line %s gives every right on %s to everyone.", m.line.Name, m.object),
				"Give a role with the rights that everyone needs, or name groups.")
		}
		if by := t.locks(r, m, i); by != "" {
			r.Find(finding.LockedOut, m.line,
				fmt.Sprintf("Line %s can never open anything: %s shuts all that it gives.", m.line.Name, by),
				"Drop the line, or make an exception in what shuts it.", by)
		}
		if by := t.repeats(r, i); by != "" {
			r.Find(finding.Redundant, m.line,
				fmt.Sprintf("Line %s adds nothing to line %s, which gives the same or more to the same people.", m.line.Name, by),
				"Drop the line.", m.line.Name, by)
		}
	}
}

func (t *tree) all() set {
	s := newSet(len(t.rights))
	for i := range t.rights {
		s.put(i)
	}
	return s
}

// locks names the first limit or denying line that shuts everything that a
// mapping gives, whoever is in it; "" where something is left.
func (t *tree) locks(rep *gate.Report, m *mapping, index int) string {
	by := ""
	for i := range t.resources {
		r := &t.resources[i]
		if !slices.Contains(r.mappings, index) {
			continue
		}
		for right := range t.rights {
			if !m.rights.has(right) {
				continue
			}
			lock := t.lock(rep, r, right, m)
			if lock == "" {
				return ""
			}
			if by == "" {
				by = lock
			}
		}
	}
	return by
}

func (t *tree) lock(rep *gate.Report, r *resource, right int, m *mapping) string {
	for _, i := range r.limits {
		l := &t.limits[i]
		if l.rights.has(right) && l.when.Always() && !l.crowd.Excepts() {
			return l.line.Name
		}
	}
	for _, i := range r.mappings {
		d := &t.mappings[i]
		if d.deny && d.rights.has(right) && d.when.Always() && d.crowd.Covers(rep.Book, &m.crowd) {
			return d.line.Name
		}
	}
	return ""
}

// repeats names a mapping beside which another one adds nothing: it covers the
// same people, resources and rights, on no harder condition. Of two that are
// equal the later one is the repetition.
func (t *tree) repeats(rep *gate.Report, index int) string {
	m := &t.mappings[index]
	for i := range t.mappings {
		o := &t.mappings[i]
		if i == index || o.deny || !t.wider(rep, o, i, m, index) {
			continue
		}
		if i > index && t.wider(rep, m, index, o, i) {
			continue
		}
		return o.line.Name
	}
	return ""
}

func (t *tree) wider(rep *gate.Report, o *mapping, oi int, m *mapping, mi int) bool {
	if !m.rights.in(o.rights) || m.rights.empty() {
		return false
	}
	if !o.when.Always() && !slices.Equal(o.when.Needed(), m.when.Needed()) {
		return false
	}
	applies := false
	for i := range t.resources {
		if slices.Contains(t.resources[i].mappings, mi) {
			applies = true
			if !slices.Contains(t.resources[i].mappings, oi) {
				return false
			}
		}
	}
	return applies && o.crowd.Covers(rep.Book, &m.crowd)
}

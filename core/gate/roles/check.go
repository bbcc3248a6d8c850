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
	on := t.spans()
	for i := range t.mappings {
		m := &t.mappings[i]
		if m.Effect == rule.Taking || m.Nobody() {
			continue
		}
		if m.Everyone && m.When.Always() && m.rights.all(len(t.rights)) {
			r.AllToEveryone(m.Line, m.object)
		}
		r.MappedAmong(all, i, slices.Values(t.beside(on[i])), func(wide, narrow int) bool {
			return t.wider(r, on, wide, narrow)
		})
	}
}

// spans are the resources on which each mapping applies, in order.
func (t *compiled) spans() [][]int {
	on := make([][]int, len(t.mappings))
	for i := range t.resources {
		for _, m := range t.resources[i].mappings {
			on[m] = append(on[m], i)
		}
	}
	return on
}

// beside are mappings among which all are that apply on all of some resources.
func (t *compiled) beside(on []int) (fewest []int) {
	for n, i := range on {
		if list := t.resources[i].mappings; n == 0 || len(list) < len(fewest) {
			fewest = list
		}
	}
	return fewest
}

// wider says whether a mapping covers the same people, resources and rights as
// another, on no harder condition; on are the resources on which each applies.
func (t *compiled) wider(r *gate.Report, on [][]int, wide, narrow int) bool {
	o, m := &t.mappings[wide], &t.mappings[narrow]
	if o.Effect == rule.Taking || !m.rights.in(o.rights) || m.rights.empty() || !o.When.Covers(&m.When) {
		return false
	}
	return len(on[narrow]) > 0 && o.Covers(r.Book, m.Rule) && subset(on[narrow], on[wide])
}

// subset says whether all of some numbers are among others; both are in order.
func subset(some, all []int) bool {
	for _, n := range some {
		at, is := slices.BinarySearch(all, n)
		if !is {
			return false
		}
		all = all[at+1:]
	}
	return true
}

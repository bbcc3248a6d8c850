package roles

import (
	"gatemap/core/gate"
)

// apply works out which mappings and limits hold at each resource.
func (c *compiler) apply() {
	t := c.tree
	t.roster = &c.Roster
	for j := range t.mappings {
		m := &t.mappings[j]
		t.byCrowd = append(t.byCrowd, make([]int, int(m.crowd.Number())+1-len(t.byCrowd))...)
		t.byCrowd[m.crowd.Number()] = j
		if !m.deny {
			t.giving.Add(m.crowd)
		}
	}
	for i := range t.resources {
		r := &t.resources[i]
		for j := range t.mappings {
			if t.reaches(i, t.mappings[j].object) && tagged(r.tags, t.mappings[j].where) {
				r.mappings = append(r.mappings, j)
			}
		}
		r.gives, r.takes = t.byRight(r, false), t.byRight(r, true)
		for j := range t.limits {
			if within(r.path, t.limits[j].object) {
				r.limits = append(r.limits, j)
			}
		}
	}
	t.list()
}

// list notes what each mapping adds to a listing.
func (t *tree) list() {
	t.listed = make([][]uint64, len(t.byCrowd))
	for i := range t.resources {
		if !t.resources[i].declared {
			continue
		}
		for right, gives := range t.resources[i].gives {
			at := i*len(t.rights) + right
			for n := range gives.All() {
				if t.listed[n] == nil {
					t.listed[n] = make([]uint64, len(t.resources)*len(t.rights)/64+1)
				}
				t.listed[n][at/64] |= 1 << (at % 64)
			}
		}
	}
}

// byRight sorts the mappings that apply to a resource by the rights that they
// give, or deny.
func (t *tree) byRight(r *resource, deny bool) []gate.Held {
	sets := make([]gate.Held, len(t.rights))
	for _, j := range r.mappings {
		if m := &t.mappings[j]; m.deny == deny {
			for right := range t.rights {
				if m.rights.has(right) {
					sets[right].Add(m.crowd)
				}
			}
		}
	}
	return sets
}

// reaches says whether something on object comes down to a resource: object is
// the resource, or above it with no sealed resource on the way.
func (t *tree) reaches(i int, object string) bool {
	for ; i >= 0; i = t.resources[i].parent {
		if t.resources[i].path == object {
			return true
		}
		if t.resources[i].sealed {
			return false
		}
	}
	return false
}

func tagged(have, want map[string]string) bool {
	for key, value := range want {
		if v, ok := have[key]; !ok || v != value {
			return false
		}
	}
	return true
}

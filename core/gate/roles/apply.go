package roles

import (
	"encoding/binary"

	"gatemap/core/gate"
)

// apply computes which mappings and limits hold at each resource.
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
	cells, key := map[string]*cell{}, []byte{}
	for i := range t.resources {
		r := &t.resources[i]
		for j := range t.mappings {
			if t.reaches(i, t.mappings[j].object) && tagged(r.tags, t.mappings[j].where) {
				r.mappings = append(r.mappings, j)
			}
		}
		var limits []*limit
		for j := range t.limits {
			if l := &t.limits[j]; within(r.path, l.object) {
				limits = append(limits, l)
			}
		}
		gives, takes := t.byRight(r, false), t.byRight(r, true)
		for right := range t.rights {
			x := &cell{number: len(cells), gives: gives[right], takes: takes[right]}
			var about gate.Held
			for _, l := range limits {
				if l.rights.has(right) {
					x.limits = append(x.limits, l)
					about.Add(l.crowd)
				}
			}
			key = key[:0]
			for _, words := range [][]uint64{x.gives, x.takes, about} {
				key = binary.AppendUvarint(key, uint64(len(words)))
				for _, w := range words {
					key = binary.LittleEndian.AppendUint64(key, w)
				}
			}
			known := cells[string(key)]
			if known == nil {
				known = x
				cells[string(key)] = x
			}
			r.cells = append(r.cells, known)
		}
	}
	t.cells = len(cells)
	t.list()
}

// list notes what each mapping adds to a listing.
func (t *tree) list() {
	t.listed = make([][]uint64, len(t.byCrowd))
	for i := range t.resources {
		if !t.resources[i].declared {
			continue
		}
		for right, x := range t.resources[i].cells {
			at := i*len(t.rights) + right
			for n := range x.gives.All() {
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

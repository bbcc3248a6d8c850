package roles

import (
	"encoding/binary"

	"gatemap/core/rule"
)

// apply computes which mappings and limits decide on each right of each resource, and lists
// those of the declared ones. Many have the same in common, and one decision.
func (c *compiler) apply() {
	t := c.tree
	known, key := map[string]*rule.Decision{}, []byte{}
	for i := range t.resources {
		r := &t.resources[i]
		for j := range t.mappings {
			if t.reaches(i, t.mappings[j].object) && tagged(r.tags, t.mappings[j].where) {
				r.mappings = append(r.mappings, j)
			}
		}
		for right := range t.rights {
			gives, takes, limits := t.about(r, right)
			key = key[:0]
			for _, lines := range []rule.LineSet{gives, takes, limits} {
				for n := range lines.All() {
					key = binary.AppendUvarint(key, uint64(n)+1)
				}
				key = append(key, 0)
			}
			d := known[string(key)]
			if d == nil {
				d = &rule.Decision{Index: &c.Index, Nearest: &rule.Level{Gives: gives, Takes: takes}, Limits: limits}
				known[string(key)] = d
			}
			if r.decisions = append(r.decisions, d); r.declared {
				t.Add(r.path, t.rights[right], d, gives, false)
			}
		}
	}
}

// about are the mappings that give a right of a resource, those that deny it, and the limits.
func (t *compiled) about(r *resource, right int) (gives, takes, limits rule.LineSet) {
	for _, j := range r.mappings {
		if m := &t.mappings[j]; !m.rights.has(right) {
			continue
		} else if m.Effect == rule.Giving {
			gives.Add(m.Rule)
		} else {
			takes.Add(m.Rule)
		}
	}
	for j := range t.limits {
		if l := &t.limits[j]; l.rights.has(right) && within(r.path, l.object) {
			limits.Add(l.Rule)
		}
	}
	return gives, takes, limits
}

// reaches says whether something on object comes down to a resource: object is
// the resource, or above it with no sealed resource on the way.
func (t *compiled) reaches(i int, object string) bool {
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

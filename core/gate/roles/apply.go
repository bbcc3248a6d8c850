package roles

import (
	"encoding/binary"
	"slices"

	"gatemap/core/rule"
)

// apply computes which mappings and limits decide on each right of each resource, and lists
// those of the declared ones. Many have the same in common, and one decision.
func (c *compiler) apply() {
	t := c.tree
	alike := map[string][]*rule.Decision{}
	var key []byte
	mappingsOn, limitsOn := byObject(t.mappings), byObject(t.limits)
	for i := range t.resources {
		r := &t.resources[i]
		for at := i; at >= 0; at = t.resources[at].parent {
			for _, j := range mappingsOn[t.resources[at].path] {
				if tagged(r.tags, t.mappings[j].where) {
					r.mappings = append(r.mappings, j)
				}
			}
			if t.resources[at].sealed {
				break
			}
		}
		var limits []int
		for path := r.path; ; path = above(path) {
			limits = append(limits, limitsOn[path]...)
			if path == "/" {
				break
			}
		}
		slices.Sort(r.mappings) // in the order of writing
		slices.Sort(limits)
		key = key[:0]
		for _, list := range [][]int{r.mappings, limits} {
			for _, j := range list {
				key = binary.AppendUvarint(key, uint64(j)+1)
			}
			key = append(key, 0)
		}
		known := alike[string(key)]
		if known == nil {
			known = c.decisions(r.mappings, limits)
			alike[string(key)] = known
		}
		if r.decisions = known; !r.declared {
			continue
		}
		for right, d := range known {
			t.Add(r.path, t.rights[right], d, d.Nearest.Gives, false)
		}
	}
}

// byObject are the places of mappings or limits by the object that they are on.
func byObject(list []mapping) map[string][]int {
	by := map[string][]int{}
	for j := range list {
		by[list[j].object] = append(by[list[j].object], j)
	}
	return by
}

// decisions are what decides on each right: the mappings that give it, those that deny it, and
// the limits. Rights on which the same decide have one.
func (c *compiler) decisions(mappings, limits []int) (all []*rule.Decision) {
	t := c.tree
	for right := range t.rights {
		d := &rule.Decision{Index: &c.Index, Nearest: &rule.Level{}}
		for _, j := range mappings {
			switch m := &t.mappings[j]; {
			case !m.rights.has(right):
			case m.Effect == rule.Giving:
				d.Nearest.Gives.Add(m.Rule)
			default:
				d.Nearest.Takes.Add(m.Rule)
			}
		}
		for _, j := range limits {
			if l := &t.limits[j]; l.rights.has(right) {
				d.Limits.Add(l.Rule)
			}
		}
		same := slices.IndexFunc(all, func(x *rule.Decision) bool {
			return x.Nearest.Gives.Same(d.Nearest.Gives) && x.Nearest.Takes.Same(d.Nearest.Takes) && x.Limits.Same(d.Limits)
		})
		if same >= 0 {
			d = all[same]
		}
		all = append(all, d)
	}
	return all
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

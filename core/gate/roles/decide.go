package roles

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// view is the gate as one question sees it: which mappings name the subject,
// with their verdicts and routes worked out when first asked for.
type view struct {
	*gate.Question
	tree     *tree
	holds    []bool // by mapping
	verdicts []gate.Verdict
	routes   [][]gate.Route
}

func (t *tree) view(q *gate.Question) *view {
	v := &view{
		Question: q, tree: t, holds: make([]bool, len(t.mappings)),
		verdicts: make([]gate.Verdict, len(t.mappings)), routes: make([][]gate.Route, len(t.mappings)),
	}
	for i := range t.mappings {
		v.holds[i] = t.mappings[i].crowd.Has(q.Subject)
	}
	return v
}

// verdict works out what a mapping that names the subject says, which is never
// none.
func (v *view) verdict(i int) gate.Verdict {
	if v.verdicts[i].State == gate.None {
		m := &v.tree.mappings[i]
		if m.deny {
			v.verdicts[i] = gate.Barring(&m.when, v.Question, m.line, gate.ByDeny)
		} else {
			v.verdicts[i] = gate.Conditional(&m.when, v.Question, m.line)
		}
	}
	return v.verdicts[i]
}

func (v *view) routesOf(i int) []gate.Route {
	if v.routes[i] == nil {
		m := &v.tree.mappings[i]
		v.routes[i] = m.crowd.Routes(v.Question, m.line.Name)
	}
	return v.routes[i]
}

// decide answers for one resource and right.
func (v *view) decide(r *resource, right int) gate.Entitlement {
	e := gate.Entitlement{System: v.tree.system, Object: r.path, Right: v.tree.rights[right]}
	var allows []gate.Verdict
	denied, kept := gate.Opened, gate.Opened
	for _, i := range r.mappings {
		if !v.holds[i] || !v.tree.mappings[i].rights.has(right) {
			continue
		}
		if v.tree.mappings[i].deny {
			if d := v.verdict(i); d.State == gate.Shut {
				denied = denied.And(d)
			} else {
				kept = kept.And(d)
			}
			continue
		}
		allows = append(allows, v.verdict(i))
		if e.Routes == nil {
			e.Routes = v.routesOf(i)
		} else {
			e.Routes = slices.Concat(e.Routes, v.routesOf(i))
		}
	}
	if allows == nil {
		return e
	}
	verdict := denied
	if verdict.State == gate.Open {
		verdict = gate.Either(allows).And(kept)
	}
	e.Judge(verdict.And(v.limited(r, right)))
	return e
}

// limited is what the limits say about a resource and right.
func (v *view) limited(r *resource, right int) gate.Verdict {
	verdict := gate.Opened
	for _, i := range r.limits {
		l := &v.tree.limits[i]
		if l.rights.has(right) && l.crowd.Has(v.Subject) {
			verdict = verdict.And(gate.Barring(&l.when, v.Question, l.line, gate.ByLimit))
		}
	}
	return verdict
}

// Reach lists the rights that mappings give on each declared resource.
func (t *tree) Reach(q *gate.Question, add func(gate.Entitlement)) {
	v := t.view(q)
	given := newSet(len(t.rights))
	for i := range t.resources {
		r := &t.resources[i]
		if !r.declared {
			continue
		}
		clear(given)
		for _, j := range r.mappings {
			if v.holds[j] && !t.mappings[j].deny {
				given.add(t.mappings[j].rights)
			}
		}
		for right := range t.rights {
			if given.has(right) {
				add(v.decide(r, right))
			}
		}
	}
}

type point struct {
	tree     *tree
	resource *resource
	right    int
	asked    string // the path as asked
}

// At finds a right on a path; without a path, on the root. A path that is not
// declared is decided by its nearest declared ancestor.
func (t *tree) At(object, right string) (gate.Point, error) {
	if object == "" {
		object = "/"
	}
	i, ok := slices.BinarySearch(t.rights, right)
	if !ok {
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: name.Near(right, slices.Values(t.rights)), Within: t.system}
	}
	object = clean(object)
	if !valid(object) {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, t.paths), Within: t.system}
	}
	return &point{t, &t.resources[t.nearest(object)], i, object}, nil
}

func (t *tree) paths(yield func(string) bool) {
	for i := range t.resources {
		if !yield(t.resources[i].path) {
			return
		}
	}
}

func (p *point) Object() string { return p.asked }

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := p.tree.view(q).decide(p.resource, p.right)
	if e.Object != p.asked {
		e.DecidedAt, e.Object = e.Object, p.asked
	}
	return e
}

func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	for _, i := range p.resource.mappings {
		m := &p.tree.mappings[i]
		if m.deny || !m.rights.has(p.right) {
			continue
		}
		if lacks := m.crowd.Lacks(q); lacks != nil {
			misses = append(misses, gate.Miss{Mapping: m.line.Name, Lacks: lacks})
		}
	}
	return misses
}

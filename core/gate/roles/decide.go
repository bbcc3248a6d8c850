package roles

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// view is the gate as one question sees it: which mappings name the subject,
// with their routes worked out when first asked for.
type view struct {
	*gate.Question
	tree   *tree
	held   gate.Held
	routes map[int][]gate.Route
}

func (t *tree) view(q *gate.Question) view { return view{Question: q, tree: t, held: q.Held(t.roster)} }

func (v *view) routesOf(i int) []gate.Route {
	routes, known := v.routes[i]
	if !known {
		m := &v.tree.mappings[i]
		routes = m.crowd.Routes(v.Question, m.line.Name)
		if v.routes == nil {
			v.routes = map[int][]gate.Route{}
		}
		v.routes[i] = routes
	}
	return routes
}

// decide answers for one resource and right.
func (v *view) decide(r *resource, right int) gate.Entitlement {
	e := gate.Entitlement{System: v.tree.system, Object: r.path, Right: v.tree.rights[right]}
	var allows gate.Either
	for n := range v.held.Among(r.gives[right]) {
		i := v.tree.byCrowd[n]
		m := &v.tree.mappings[i]
		allows.Add(v.Question, gate.Conditional(&m.when, v.Question, m.line))
		switch {
		case v.Brief:
		case e.Routes == nil:
			e.Routes = v.routesOf(i)
		default:
			e.Routes = slices.Concat(e.Routes, v.routesOf(i))
		}
	}
	if allows.None() {
		return e
	}
	denied, kept := gate.Opened, gate.Opened
	for n := range v.held.Among(r.takes[right]) {
		m := &v.tree.mappings[v.tree.byCrowd[n]]
		if d := gate.Barring(&m.when, v.Question, m.line, gate.ByDeny); d.State == gate.Shut {
			denied = denied.And(d)
		} else {
			kept = kept.And(d)
		}
	}
	verdict := denied
	if verdict.State == gate.Open {
		verdict = allows.Verdict().And(kept)
	}
	e.Judge(verdict.And(v.limited(r, right)))
	return e
}

// limited is what the limits say about a resource and right.
func (v *view) limited(r *resource, right int) gate.Verdict {
	verdict := gate.Opened
	for _, i := range r.limits {
		if l := &v.tree.limits[i]; l.rights.has(right) && v.held.Has(l.crowd.Number()) {
			verdict = verdict.And(gate.Barring(&l.when, v.Question, l.line, gate.ByLimit))
		}
	}
	return verdict
}

// Giving are the lines without any of which there is nothing to list.
func (t *tree) Giving() gate.Held { return t.giving }

// Reach lists the rights that mappings give on each declared resource.
func (t *tree) Reach(q *gate.Question, add func(gate.Entitlement)) {
	v := t.view(q)
	if !v.held.Meets(t.giving) {
		return
	}
	all := gate.Held(q.Words(len(t.resources)*len(t.rights)/64 + 1))
	for n := range v.held.Among(t.giving) {
		all.Join(t.listed[n])
	}
	for at := range all.All() {
		add(v.decide(&t.resources[int(at)/len(t.rights)], int(at)%len(t.rights)))
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

// Lines are those that give the right, those that take it, and the limits.
func (p *point) Lines() gate.Held {
	var lines gate.Held
	lines.Join(p.resource.gives[p.right])
	lines.Join(p.resource.takes[p.right])
	for _, i := range p.resource.limits {
		if l := &p.tree.limits[i]; l.rights.has(p.right) {
			lines.Add(l.crowd)
		}
	}
	return lines
}

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	v := p.tree.view(q)
	e := v.decide(p.resource, p.right)
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

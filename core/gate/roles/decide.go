package roles

import (
	"maps"
	"slices"
	"sync"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// view is the gate as one question sees it: which mappings name the subject, and what
// was answered already, by the number of the cell: its place in answers from 1.
type view struct {
	*gate.Question
	tree    *tree
	held    gate.Held
	places  []uint64
	answers []answer
}

type answer struct {
	verdict gate.Verdict
	routes  []gate.Route
}

func (t *tree) view(q *gate.Question) view { return view{Question: q, tree: t, held: q.Held(t.roster)} }

// decide answers for one resource and right.
func (v *view) decide(r *resource, right int) gate.Entitlement {
	e := gate.Entitlement{System: v.tree.system, Object: r.path, Right: v.tree.rights[right]}
	x := r.cells[right]
	if v.places == nil {
		v.ask(x, &e)
		return e
	}
	if v.places[x.number] == 0 {
		v.ask(x, &e)
		v.answers = append(v.answers, answer{e.Verdict(), e.Routes})
		v.places[x.number] = uint64(len(v.answers))
		return e
	}
	known := &v.answers[v.places[x.number]-1]
	e.Judge(known.verdict)
	e.Routes = known.routes
	return e
}

// ask asks the lines of a cell.
func (v *view) ask(x *cell, e *gate.Entitlement) {
	var allows gate.Either
	for n := range v.held.Among(x.gives) {
		m := &v.tree.mappings[v.tree.byCrowd[n]]
		allows.Add(v.Question, gate.Conditional(&m.when, v.Question, m.line))
		e.Come(m.crowd.Routes(v.Question, m.line.Name))
	}
	if allows.None() {
		return
	}
	denied, kept := gate.Opened, gate.Opened
	for n := range v.held.Among(x.takes) {
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
	for _, l := range x.limits {
		if v.held.Has(l.crowd.Number()) {
			verdict = verdict.And(gate.Barring(&l.when, v.Question, l.line, gate.ByLimit))
		}
	}
	e.Judge(verdict)
}

// Giving are the lines without any of which there is nothing to list.
func (t *tree) Giving() gate.Held { return t.giving }

// Reach lists the rights that mappings give on each declared resource.
func (t *tree) Reach(q *gate.Question, add func(gate.Entitlement)) {
	v := t.view(q)
	if !v.held.Meets(t.giving) {
		return
	}
	scratch := answers.Get().(*[]answer)
	v.places, v.answers = q.Words(t.cells), (*scratch)[:0]
	all := gate.Held(q.Words(len(t.resources)*len(t.rights)/64 + 1))
	for n := range v.held.Among(t.giving) {
		all.Join(t.listed[n])
	}
	for at := range all.All() {
		add(v.decide(&t.resources[int(at)/len(t.rights)], int(at)%len(t.rights)))
	}
	clear(v.answers)
	*scratch = v.answers
	answers.Put(scratch)
}

// answers are where those of one listing are kept.
var answers = sync.Pool{New: func() any { return new([]answer) }}

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
	x := p.resource.cells[p.right]
	lines.Join(x.gives)
	lines.Join(x.takes)
	for _, l := range x.limits {
		lines.Add(l.crowd)
	}
	return lines
}

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	v := p.tree.view(q)
	e := v.decide(p.resource, p.right)
	if e.Object != p.asked {
		e.DecidedAt, e.Object = e.Object, p.asked
	}
	if q.Passes != nil {
		p.tree.wanting(q, p.resource, p.right)
	}
	return e
}

// wanting notes the mappings that would be about a resource if it had their tags.
func (t *tree) wanting(q *gate.Question, r *resource, right int) {
	at := slices.IndexFunc(t.resources, func(x resource) bool { return x.path == r.path })
	for i := range t.mappings {
		m := &t.mappings[i]
		if !m.rights.has(right) || !t.reaches(at, m.object) {
			continue
		}
		var lacks []string
		for _, tag := range slices.Sorted(maps.Keys(m.where)) {
			if r.tags[tag] != m.where[tag] {
				lacks = append(lacks, "tag-of-resource:"+tag+"="+m.where[tag])
			}
		}
		if lacks != nil {
			q.Wanting(&m.line, lacks)
		}
	}
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

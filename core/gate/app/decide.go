package app

import (
	"iter"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// point is one action of one module, with what the mappings say of it.
type point struct {
	desk     *desk
	module   string
	action   string
	opinions []opinion
	giving   gate.Held // the mappings whose opinion is not none
}

var breadths = Breadth("").Values()

func (p *point) Object() string { return p.module }

func (p *point) Lines() gate.Held {
	var lines gate.Held
	for _, o := range p.opinions {
		lines.Add(p.desk.mappings[o.mapping].crowd)
	}
	return lines
}

// Decide takes the widest or the narrowest of the opinions (docs/model.md
// section 5.5). An opinion of none is one; a role that does not mention the
// action has none.
func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: p.desk.system, Object: p.module, Right: p.action}
	wide, held := false, q.Held(p.desk.roster)
	for _, o := range p.opinions {
		if m := &p.desk.mappings[o.mapping]; o.width > 0 && held.Has(m.crowd.Number()) {
			wide = true
			e.Come(m.crowd.Routes(q, m.line.Name))
		}
	}
	if !wide {
		return e
	}
	verdict, width := p.widest(q, held)
	if p.desk.narrow {
		verdict, width = p.narrowest(q, held, verdict)
	}
	e.Judge(verdict)
	if verdict.State >= gate.Depends {
		e.Breadth = breadths[width]
	}
	return e
}

// widest: what is surely there is held, however much more there may be.
func (p *point) widest(q *gate.Question, held gate.Held) (v gate.Verdict, width int) {
	var some gate.Either
	sure, perhaps := 0, 0
	for _, o := range p.opinions {
		m := &p.desk.mappings[o.mapping]
		if o.width == 0 || !held.Has(m.crowd.Number()) {
			continue
		}
		verdict := gate.Conditional(&m.when, q, m.line)
		some.Add(q, verdict)
		switch verdict.State {
		case gate.Open:
			sure = max(sure, o.width)
		case gate.Depends:
			perhaps = max(perhaps, o.width)
		}
	}
	if v = some.Verdict(); v.State == gate.Open {
		return v, sure
	}
	return v, perhaps
}

// narrowest: an opinion of none that may hold takes everything away from the
// verdict of the others, and a narrower one that may hold is as far as it surely
// goes.
func (p *point) narrowest(q *gate.Question, held gate.Held, v gate.Verdict) (gate.Verdict, int) {
	denied, width := gate.Opened, len(breadths)-1
	for _, o := range p.opinions {
		m := &p.desk.mappings[o.mapping]
		switch {
		case !held.Has(m.crowd.Number()):
		case o.width == 0:
			denied = denied.And(gate.Barring(&m.when, q, m.line, gate.ByDeny))
		case m.when.Holds(q.Facts) != situation.False:
			width = min(width, o.width)
		}
	}
	if denied.State == gate.Shut {
		return denied, 0
	}
	return v.And(denied), width
}

func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	for _, o := range p.opinions {
		m := &p.desk.mappings[o.mapping]
		if o.width == 0 {
			continue
		}
		if lacks := m.crowd.Lacks(q); lacks != nil {
			misses = append(misses, gate.Miss{Mapping: m.line.Name, Lacks: lacks})
		}
	}
	return misses
}

// Giving are the lines without any of which there is nothing to list.
func (t *desk) Giving() gate.Held { return t.giving }

// Reach lists the actions of every module that the subject holds.
func (t *desk) Reach(q *gate.Question, add func(gate.Entitlement)) {
	held := q.Held(t.roster)
	if !held.Meets(t.giving) {
		return
	}
	for i := range t.points {
		if p := &t.points[i]; held.Meets(p.giving) {
			add(p.Decide(q))
		}
	}
}

// At finds an action of a module. The module can be left out where only one
// has an action of that name.
func (t *desk) At(object, right string) (gate.Point, error) {
	if object != "" && !slices.ContainsFunc(t.points, func(p point) bool { return p.module == object }) {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, t.modules), Within: t.system}
	}
	var found []*point
	var modules []string
	for i := range t.points {
		p := &t.points[i]
		if p.action == right && (object == "" || p.module == object) {
			found, modules = append(found, p), append(modules, p.module)
		}
	}
	switch len(found) {
	case 0:
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: name.Near(right, t.actions(object)), Within: t.system}
	case 1:
		return found[0], nil
	}
	return nil, &gate.ObjectNeededError{System: t.system, Objects: modules}
}

func (t *desk) find(module, action string) (*point, bool) {
	for i := range t.points {
		if t.points[i].module == module && t.points[i].action == action {
			return &t.points[i], true
		}
	}
	return nil, false
}

func (t *desk) modules(yield func(string) bool) {
	for i := range t.points {
		if !yield(t.points[i].module) {
			return
		}
	}
}

// actions yields the actions of a module, or of all for an empty name.
func (t *desk) actions(module string) iter.Seq[string] {
	return func(yield func(string) bool) {
		for i := range t.points {
			if (module == "" || t.points[i].module == module) && !yield(t.points[i].action) {
				return
			}
		}
	}
}

// Check looks at each mapping.
func (t *desk) Check(r *gate.Report) {
	for i := range t.mappings {
		m := &t.mappings[i]
		r.DirectUsers(m.crowd, m.line)
		if m.crowd.Nobody() {
			continue
		}
		all := len(t.points) > 0
		for j := range t.points {
			all = all && slices.ContainsFunc(t.points[j].opinions, func(o opinion) bool { return o.mapping == i && o.width == len(breadths)-1 })
		}
		if all && m.crowd.Everyone && m.when.Always() {
			r.AllToEveryone(m.line, t.system)
		}
		if !t.narrow {
			r.Redundant(i, len(t.mappings), func(i int) gate.Line { return t.mappings[i].line },
				func(wide, narrow int) bool { return t.wider(r, wide, narrow) })
		}
	}
}

// wider says whether a mapping gives the same people as much as another, where
// the widest opinion counts.
func (t *desk) wider(r *gate.Report, wide, narrow int) bool {
	w, n := &t.mappings[wide], &t.mappings[narrow]
	if !w.when.Covers(&n.when) || !w.crowd.Covers(r.Book, n.crowd) {
		return false
	}
	says := func(p *point, mapping int) int {
		width := 0
		for _, o := range p.opinions {
			if o.mapping == mapping {
				width = o.width
			}
		}
		return width
	}
	some := false
	for i := range t.points {
		own := says(&t.points[i], narrow)
		if own > says(&t.points[i], wide) {
			return false
		}
		some = some || own > 0
	}
	return some
}

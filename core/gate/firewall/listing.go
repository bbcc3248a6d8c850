package firewall

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// Giving are the lines without any of which there is nothing to list: with a
// permitting default there is none such, as it is for everyone.
func (w *wall) Giving() gate.Held {
	if w.permit {
		return nil
	}
	return w.giving
}

// Reach lists what the rules that permit something to the subject are about:
// their destinations and services, by the names that they use.
func (w *wall) Reach(q *gate.Question, add func(gate.Entitlement)) {
	held := q.Held(w.roster)
	if !w.permit && !held.Meets(w.giving) {
		return
	}
	asked := make([]bool, len(w.listed))
	for i := range w.rules {
		r := &w.rules[i]
		if r.permit && held.Has(r.crowd.Number()) {
			for _, p := range r.listed {
				asked[p] = true
			}
		}
	}
	for i, p := range w.listed {
		if !asked[i] && !(w.permit && p.object == anyName && p.right == anyName) {
			continue
		}
		if e := p.Decide(q); e.State != gate.None {
			add(e)
		}
	}
}

// list makes the points that listings ask, once: those that permitting rules
// are about, by object and right.
func (w *wall) list() {
	type pair struct{ object, right string }
	compare := func(a, b pair) int {
		return cmp.Or(strings.Compare(a.object, b.object), strings.Compare(a.right, b.right))
	}
	of := make([][]pair, len(w.rules))
	var pairs []pair
	for i := range w.rules {
		if r := &w.rules[i]; r.permit {
			for _, to := range orAny(r.toNames) {
				for _, service := range orAny(r.svcNames) {
					of[i] = append(of[i], pair{to, service})
				}
			}
			pairs = append(pairs, of[i]...)
		}
	}
	if w.permit {
		pairs = append(pairs, pair{anyName, anyName})
	}
	slices.SortFunc(pairs, compare)
	pairs = slices.Compact(pairs)
	for _, x := range pairs {
		to, _ := w.destination(x.object)
		services, _ := w.service(x.right)
		w.listed = append(w.listed, newPoint(w, x.object, x.right, to, services))
	}
	for i := range w.rules {
		for _, x := range of[i] {
			at, _ := slices.BinarySearchFunc(pairs, x, compare)
			w.rules[i].listed = append(w.rules[i].listed, at)
		}
	}
}

func orAny(names []string) []string {
	if names == nil {
		return []string{anyName}
	}
	return names
}

// At finds a service at a destination.
func (w *wall) At(object, right string) (gate.Point, error) {
	services, ok := w.service(right)
	if !ok {
		return nil, &directory.NotFoundError{Kind: "service", Name: right, Near: name.Near(right, w.serviceNames), Within: w.system}
	}
	if object == "" {
		return nil, &gate.ObjectNeededError{System: w.system, Objects: w.names}
	}
	to, ok := w.destination(object)
	if !ok {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, slices.Values(w.names)), Within: w.system}
	}
	return newPoint(w, object, right, to, services), nil
}

// Passage asks for the service at the destination that the keys name.
func (w *wall) Passage(_, _ string, keys gate.Passage) (gate.Point, error) {
	if keys["to"] == "" || keys["service"] == "" || len(keys) > 2 {
		return nil, errKeys
	}
	all, err := w.At(keys["to"], keys["service"])
	if err != nil {
		return nil, err
	}
	return &passage{all.(*point)}, nil
}

// passage is being let through to all of a destination by all of a service.
type passage struct{ *point }

// Decide is as of the point, but that no part of it is enough.
func (p *passage) Decide(q *gate.Question) gate.Entitlement {
	e := p.point.Decide(q)
	if e.State != gate.Depends || p.everywhere(q) {
		return e
	}
	if q.Brief {
		e.Judge(gate.Verdict{State: gate.Shut})
	} else {
		e.Judge(gate.ShutFor(gate.ByRule, p.wall.system+"/"+p.object, "only a part of it is permitted"))
	}
	return e
}

// everywhere says whether every part may be permitted.
func (p *point) everywhere(q *gate.Question) bool {
	for i := range p.rows {
		for j := range p.columns {
			if p.ask(q, i, j).verdict.State < gate.Depends {
				return false
			}
		}
	}
	return true
}

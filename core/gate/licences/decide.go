package licences

import (
	"slices"
	"time"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// held is what a user has of a product: the mappings that give it, and which
// features are there, with whatever they need.
type held struct {
	mappings []int
	given    []bool // by feature: some mapping gives it
	works    []bool // and all that it needs works too
}

func (p *product) held(q *gate.Question) held {
	h := held{given: make([]bool, len(p.features))}
	for i := range p.mappings {
		if !p.mappings[i].crowd.Has(q.Subject) {
			continue
		}
		h.mappings = append(h.mappings, i)
		for f, gives := range p.mappings[i].gives {
			h.given[f] = h.given[f] || gives
		}
	}
	h.works = slices.Clone(h.given)
	for again := true; again; {
		again = false
		for f := range p.features {
			if h.works[f] && len(h.absent(p, f)) > 0 {
				h.works[f], again = false, true
			}
		}
	}
	return h
}

// absent lists what a feature needs and the user does not have in working
// order.
func (h *held) absent(p *product, f int) []string {
	var names []string
	for _, n := range p.features[f].needs {
		if !h.works[n] {
			names = append(names, p.features[n].name)
		}
	}
	return names
}

func (p *product) decide(q *gate.Question, h *held, f int, system string) gate.Entitlement {
	e := gate.Entitlement{System: system, Object: p.name, Right: p.features[f].name}
	if !h.given[f] {
		return e
	}
	for _, i := range h.mappings {
		m := &p.mappings[i]
		if m.gives[f] {
			e.Routes = append(e.Routes, m.crowd.Routes(q, m.line.Name)...)
		}
	}
	verdict := p.seated(q)
	for _, absent := range h.absent(p, f) {
		verdict = verdict.And(gate.ShutFor(gate.ByFeature, p.line.Name, absent))
	}
	e.Judge(verdict)
	return e
}

// seated says whether the subject, who holds the product, has a seat. Accounts
// that are switched off or have ended take none, and are shut anyway.
func (p *product) seated(q *gate.Question) gate.Verdict {
	from, waiting := p.seating().from[q.Subject.ID]
	if !waiting {
		return gate.Opened
	}
	short := gate.ShutFor(gate.ByNoSeat, p.line.Name, "")
	at, ends := q.Facts.At, q.Subject.User.Expires
	switch {
	case !at.IsZero() && !ends.IsZero() && !at.Before(ends.Time):
		return gate.Opened
	case from == never, !ends.IsZero() && !from.Before(ends.Time):
		return short
	case at.IsZero():
		return gate.DependsOn(situation.Need("after:" + from.Format(time.RFC3339)))
	case at.Before(from):
		return short
	}
	return gate.Opened
}

// Reach lists the features of every product that the subject holds.
func (t *shelf) Reach(q *gate.Question, add func(gate.Entitlement)) {
	for i := range t.products {
		p := &t.products[i]
		h := p.held(q)
		for f := range p.features {
			if h.given[f] {
				add(p.decide(q, &h, f, t.system))
			}
		}
	}
}

type point struct {
	system  string
	product *product
	feature int
}

// At finds a feature of a product. The product can be left out where only one
// has a feature of that name.
func (t *shelf) At(object, right string) (gate.Point, error) {
	var having []string
	var found point
	for i := range t.products {
		p := &t.products[i]
		if object != "" && p.name != object {
			continue
		}
		if f, ok := p.feature(right); ok {
			having = append(having, p.name)
			found = point{t.system, p, f}
		}
	}
	switch {
	case len(having) == 1:
		return &found, nil
	case len(having) > 1:
		return nil, &gate.ObjectNeededError{System: t.system, Objects: having}
	case object != "" && t.product(object) == nil:
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, t.productNames()), Within: t.system}
	}
	return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: name.Near(right, t.features(object)), Within: t.system}
}

func (t *shelf) features(object string) func(func(string) bool) {
	return func(yield func(string) bool) {
		for i := range t.products {
			if object != "" && t.products[i].name != object {
				continue
			}
			for f := range t.products[i].featureNames() {
				if !yield(f) {
					return
				}
			}
		}
	}
}

func (p *point) Object() string { return p.product.name }

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	h := p.product.held(q)
	return p.product.decide(q, &h, p.feature, p.system)
}

func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	for i := range p.product.mappings {
		m := &p.product.mappings[i]
		if !m.gives[p.feature] {
			continue
		}
		if lacks := m.crowd.Lacks(q); lacks != nil {
			misses = append(misses, gate.Miss{Mapping: m.line.Name, Lacks: lacks})
		}
	}
	return misses
}

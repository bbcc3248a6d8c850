package licences

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// held is what a user has of a product: which features some mapping gives, and
// which of them are there with whatever they need.
type held struct{ given, works gate.Held }

func (p *product) held(q *gate.Question) held {
	words := len(p.features)/64 + 1
	h := held{q.Words(words), q.Words(words)}
	for i := range p.mappings {
		if p.mappings[i].crowd.Has(q) {
			for f, gives := range p.mappings[i].gives {
				if gives {
					h.given.Put(uint32(f))
				}
			}
		}
	}
	copy(h.works, h.given)
	for again := true; again; {
		again = false
		for f := range p.features {
			if h.works.Has(uint32(f)) && h.lacks(p, f) {
				h.works.Drop(uint32(f))
				again = true
			}
		}
	}
	return h
}

// lacks says whether something that a feature needs is not there in working
// order.
func (h *held) lacks(p *product, f int) bool {
	return slices.ContainsFunc(p.features[f].needs, func(n int) bool { return !h.works.Has(uint32(n)) })
}

func (p *product) decide(q *gate.Question, h *held, f int, system string) gate.Entitlement {
	e := gate.Entitlement{System: system, Object: p.name, Right: p.features[f].name}
	if !h.given.Has(uint32(f)) {
		return e
	}
	for i := range p.mappings {
		if m := &p.mappings[i]; !q.Brief && m.gives[f] && m.crowd.Has(q) {
			e.Come(m.crowd.Routes(q, m.line.Name))
		}
	}
	verdict := p.seated(q)
	for _, n := range p.features[f].needs {
		if !h.works.Has(uint32(n)) {
			verdict = verdict.And(q.ShutFor(gate.ByFeature, p.line.Name, p.features[n].name))
		}
	}
	e.Judge(verdict)
	return e
}

// seated says whether the subject, who holds the product, has a seat. Accounts
// that are switched off or have ended take none, and are shut anyway.
func (p *product) seated(q *gate.Question) gate.Verdict {
	if !p.limited {
		return gate.Opened
	}
	from, waiting := p.seating(q.Book).from[q.Subject.ID]
	if !waiting {
		return gate.Opened
	}
	short := q.ShutFor(gate.ByNoSeat, p.line.Name, "")
	at, ends := q.Facts.At, q.Subject.User().Expires
	switch {
	case !at.IsZero() && !ends.IsZero() && !at.Before(ends.Time):
		return gate.Opened
	case from == never, !ends.IsZero() && !from.Before(ends.Time):
		return short
	case at.IsZero():
		if q.Brief {
			return gate.Verdict{State: gate.Depends}
		}
		return gate.DependsOn(situation.All(situation.After(from)))
	case at.Before(from):
		return short
	}
	return gate.Opened
}

// Giving are the lines without any of which there is nothing to list.
func (t *shelf) Giving() gate.Held {
	all := gate.Held{}
	for i := range t.products {
		all.Join(t.products[i].giving)
	}
	return all
}

// Reach lists the features of every product that the subject holds.
func (t *shelf) Reach(q *gate.Question, add func(gate.Entitlement)) {
	for i := range t.products {
		p := &t.products[i]
		if !q.Held(t.roster).Meets(p.giving) {
			continue
		}
		h := p.held(q)
		for f := range p.features {
			if h.given.Has(uint32(f)) {
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

// Lines are all that are about the product, as features need each other.
func (p *point) Lines() gate.Held {
	var lines gate.Held
	for i := range p.product.mappings {
		lines.Add(p.product.mappings[i].crowd)
	}
	return lines
}

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

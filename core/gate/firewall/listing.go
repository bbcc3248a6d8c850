package firewall

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// Giving are the lines without any of which there is nothing to list: with a
// permitting default there is none such, as it is for everyone.
func (w *compiled) Giving() (lines rule.LineSet, needed bool) { return w.giving, w.byDefault == nil }

// Public is what everyone may have by the default.
func (w *compiled) Public() []string {
	if w.byDefault == nil {
		return nil
	}
	return []string{anyName}
}

// Depends is nothing beside the lines.
func (*compiled) Depends(*directory.Book) (d rule.Dependencies) { return d }

// Reach lists what the rules that permit something to the subject are about:
// their destinations and services, by the names that they use.
func (w *compiled) Reach(q *rule.Question, add func(rule.Entitlement)) {
	held := q.Held(w.index)
	if w.byDefault == nil && !held.Meets(w.giving) {
		return
	}
	asked := make([]bool, len(w.listed))
	for _, r := range w.rules {
		if held.Has(r.Number()) {
			for _, p := range r.listed {
				asked[p] = true
			}
		}
	}
	for i, p := range w.listed {
		if !asked[i] && !(w.byDefault != nil && p.object == anyName && p.right == anyName) {
			continue
		}
		if q.Brief {
			if state := p.State(q); state != rule.None {
				add(rule.Entitlement{System: w.system, Object: p.object, Right: p.right, State: state})
			}
		} else if e := p.Decide(q); e.State != rule.None {
			add(e)
		}
	}
}

// By hands on what the rule permits to the subject.
func (w *compiled) By(r *rule.Rule, q *rule.Question, add func(rule.Entitlement) (more bool)) {
	for _, x := range w.rules {
		if x.Rule != r {
			continue
		}
		for _, at := range x.listed {
			if e := w.listed[at].Decide(q); e.State != rule.None && !add(e) {
				return
			}
		}
	}
}

// list makes the points that listings ask, once: those that permitting rules
// are about, by object and right.
func (w *compiled) list() {
	type pair struct{ object, right string }
	compare := func(a, b pair) int {
		return cmp.Or(strings.Compare(a.object, b.object), strings.Compare(a.right, b.right))
	}
	of := make([][]pair, len(w.rules))
	var pairs []pair
	for i, r := range w.rules {
		if r.Effect == rule.Giving {
			for _, to := range orAny(r.toNames) {
				for _, service := range orAny(r.svcNames) {
					of[i] = append(of[i], pair{to, service})
				}
			}
			pairs = append(pairs, of[i]...)
		}
	}
	if w.byDefault != nil {
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
func (w *compiled) At(object, right string) (rule.Permission, error) {
	services, ok := w.service(right)
	if !ok {
		return nil, &directory.NotFoundError{
			Kind:   "service",
			Name:   right,
			Near:   name.Near(right, w.serviceNames),
			Within: w.system,
		}
	}
	if object == "" {
		return nil, &rule.ObjectNeededError{System: w.system, Objects: w.names}
	}
	to, ok := w.destination(object)
	if !ok {
		return nil, &directory.NotFoundError{
			Kind:   "object",
			Name:   object,
			Near:   name.Near(object, slices.Values(w.names)),
			Within: w.system,
		}
	}
	return newPoint(w, object, right, to, services), nil
}

// InFront asks for the service at the destination that the keys name: to all of it, as no part
// of it is enough.
func (w *compiled) InFront(_, _ string, keys gate.Passage) (rule.Permission, error) {
	if keys["to"] == "" || keys["service"] == "" || len(keys) > 2 {
		return nil, errKeys
	}
	all, err := w.At(keys["to"], keys["service"])
	if err != nil {
		return nil, err
	}
	p := *all.(*point)
	p.whole = true
	return &p, nil
}

// Catalogue lists the zones and the services, and the addresses and ports that permitting
// rules name.
func (w *compiled) Catalogue() gate.Catalogue {
	c := gate.Catalogue{Objects: slices.Clone(w.names), Rights: slices.Collect(w.serviceNames)}
	for _, p := range w.listed {
		c.Objects, c.Rights = append(c.Objects, p.object), append(c.Rights, p.right)
	}
	slices.Sort(c.Objects)
	slices.Sort(c.Rights)
	return gate.Catalogue{Objects: slices.Compact(c.Objects), Rights: slices.Compact(c.Rights), Open: true}
}

// Given hands on nothing: what a rule permits are ranges, which have no list.
func (w *compiled) Given(func(rule.Given)) {}

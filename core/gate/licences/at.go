package licences

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// working is which features of a product are there with whatever they need.
type working struct {
	index   *rule.Index
	product *product
}

// Derive works it out: those that some mapping gives, without those that lack something.
func (w *working) Derive(q *rule.Question, into rule.Held) {
	held, features := q.Held(w.index), w.product.features
	for i := range features {
		if held.Meets(features[i].decision.Nearest.Gives) {
			into.Put(uint32(i))
		}
	}
	for again := true; again; {
		again = false
		for i := range features {
			if into.Has(uint32(i)) && slices.ContainsFunc(features[i].needs, func(n int) bool { return !into.Has(uint32(n)) }) {
				into.Drop(uint32(i))
				again = true
			}
		}
	}
}

// needed is the lock that some features must be there in working order.
type needed struct {
	*working
	needs []int
}

// Verdict names those that are not.
func (n *needed) Verdict(q *rule.Question) rule.Verdict {
	works, verdict := q.Derived(n.working, len(n.product.features)/64+1), rule.Opened
	for _, f := range n.needs {
		if !works.Has(uint32(f)) {
			verdict = verdict.And(q.ShutFor(rule.ByFeature, n.product.Name, n.product.features[f].name))
		}
	}
	return verdict
}

// Lines are the mappings of the product, and there is nothing else.
func (w *working) Lines() (lines rule.LineSet) {
	for _, m := range w.product.mappings {
		lines.Add(m.Rule)
	}
	return lines
}
func (*working) Depends(*directory.Book) (d rule.Dependencies) { return d }

// At finds a feature of a product. The product can be left out where only one
// has a feature of that name.
func (t *compiled) At(object, right string) (rule.Permission, error) {
	var having []string
	var found *rule.Entry
	for i := range t.products {
		p := &t.products[i]
		if object != "" && p.name != object {
			continue
		}
		if f, ok := p.feature(right); ok {
			having = append(having, p.name)
			found = t.Entry(p.name, right, p.features[f].decision)
		}
	}
	switch {
	case len(having) == 1:
		return found, nil
	case len(having) > 1:
		return nil, &rule.ObjectNeededError{System: t.System, Objects: having}
	case object != "" && t.product(object) == nil:
		return nil, &directory.NotFoundError{
			Kind:   "object",
			Name:   object,
			Near:   name.Near(object, t.productNames()),
			Within: t.System,
		}
	}
	return nil, &directory.NotFoundError{
		Kind:   "right",
		Name:   right,
		Near:   name.Near(right, t.features(object)),
		Within: t.System,
	}
}

func (t *compiled) features(object string) func(func(string) bool) {
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

// Catalogue lists the products and their features.
func (t *compiled) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: slices.Sorted(t.productNames()), Rights: slices.Compact(slices.Sorted(t.features("")))}
}

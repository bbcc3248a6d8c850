package licences

import (
	"iter"
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// compiled is the compiled gate.
type compiled struct {
	*rule.Listing
	gate.NotInFront
	products []product // by name
}

type product struct {
	rule.Line
	name     string
	features []feature // by name
	mappings []mapping // those of this product, in the order of writing
	seats    *seats    // nil: as many as one likes
	off      bool
}

type feature struct {
	name     string
	needs    []int
	decision *rule.Decision
}

type mapping struct {
	*rule.Rule
	gives []bool // by feature
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	t := &compiled{Listing: rule.NewListing(s.System.Name, &s.Index)}
	for i := range d.Products {
		t.products = append(t.products, compileProduct(s, &d.Products[i]))
	}
	slices.SortStableFunc(t.products, func(a, b product) int { return strings.Compare(a.name, b.name) })
	for i := 1; i < len(t.products); i++ {
		if t.products[i].name == t.products[i-1].name {
			s.Errors.Addf(
				t.products[i].Place,
				"product %s is here twice; it is also at %s",
				t.products[i].name,
				t.products[i-1].Place,
			)
		}
	}
	for i := range d.Mappings {
		t.compileMapping(s, &d.Mappings[i], i)
	}
	for i := range t.products {
		p := &t.products[i]
		p.decide(s)
		for j := range p.features {
			d := p.features[j].decision
			t.Add(p.name, p.features[j].name, d, d.Nearest.Gives, false)
		}
	}
	return t
}

func compileProduct(s *gate.Site, d *Product) product {
	p := product{name: d.Name.Value, Line: s.Line("product "+d.Name.Value, d.Place), off: d.Off}
	if d.Seats != nil {
		p.seats = &seats{product: p.name, line: p.Line, seats: *d.Seats}
		s.Shared = append(s.Shared, p.seats)
		if *d.Seats < 0 {
			s.Errors.Addf(d.Place, "product %s cannot have %d seats", p.name, *d.Seats)
		}
	}
	features := slices.Clone(d.Features)
	slices.SortStableFunc(features, func(a, b Feature) int { return strings.Compare(a.Name, b.Name) })
	for i, f := range features {
		if i > 0 && features[i-1].Name == f.Name {
			s.Errors.Addf(f.Place, "feature %s is in product %s twice; it is also at %s", f.Name, p.name, features[i-1].Place)
		}
		p.features = append(p.features, feature{name: f.Name})
	}
	for i, f := range features {
		for _, ref := range f.Needs {
			j, ok := p.feature(ref.Name)
			if !ok {
				s.Missing("feature", ref, name.Near(ref.Name, p.featureNames()), p.Line)
				continue
			}
			p.features[i].needs = append(p.features[i].needs, j)
		}
	}
	return p
}

func (t *compiled) compileMapping(s *gate.Site, d *Mapping, i int) {
	m := mapping{Rule: s.Rule(s.Numbered("mapping", i, d.Place), &d.Who, nil, rule.Giving)}
	p := t.product(d.Product.Name)
	if p == nil {
		s.Missing("product", d.Product, name.Near(d.Product.Name, t.productNames()), m.Line)
		return
	}
	m.gives = make([]bool, len(p.features))
	for j := range m.gives {
		m.gives[j] = true
	}
	for _, ref := range d.Without {
		j, ok := p.feature(ref.Name)
		if !ok {
			s.Missing("feature", ref, name.Near(ref.Name, p.featureNames()), m.Line)
			m.Break()
			continue
		}
		m.gives[j] = false
	}
	if p.off {
		m.SwitchOff()
	}
	p.mappings = append(p.mappings, m)
	if p.seats != nil {
		p.seats.mappings = append(p.seats.mappings, m.Rule)
	}
}

// decide makes what decides on each feature: the mappings that give it, a seat, and the
// features that it needs.
func (p *product) decide(s *gate.Site) {
	works := &working{index: &s.Index, product: p}
	for i := range p.features {
		f := &p.features[i]
		f.decision = &rule.Decision{Index: &s.Index, Nearest: &rule.Level{}}
		for _, m := range p.mappings {
			if m.gives[i] {
				f.decision.Nearest.Gives.Add(m.Rule)
			}
		}
		if p.seats != nil {
			f.decision.Locks = append(f.decision.Locks, p.seats)
		}
		if f.needs != nil {
			f.decision.Locks = append(f.decision.Locks, &needed{works, f.needs})
		}
	}
}

func (t *compiled) product(written string) *product {
	for i := range t.products {
		if t.products[i].name == written {
			return &t.products[i]
		}
	}
	return nil
}

func (p *product) feature(written string) (int, bool) {
	return slices.BinarySearchFunc(
		p.features,
		written,
		func(f feature, w string) int { return strings.Compare(f.name, w) },
	)
}

func (t *compiled) productNames() iter.Seq[string] {
	return func(yield func(string) bool) {
		for i := range t.products {
			if !yield(t.products[i].name) {
				return
			}
		}
	}
}

func (p *product) featureNames() iter.Seq[string] {
	return func(yield func(string) bool) {
		for _, f := range p.features {
			if !yield(f.name) {
				return
			}
		}
	}
}

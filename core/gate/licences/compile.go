package licences

import (
	"iter"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// shelf is the compiled gate.
type shelf struct {
	system   string
	roster   *gate.Roster
	products []product // by name
}

type product struct {
	name     string
	line     gate.Line
	features []feature // by name
	mappings []mapping // those of this product, in the order of writing
	giving   gate.Held // all of them
	limited  bool
	off      bool
	seats    int
	seatings *directory.Memo[*seating]
}

type feature struct {
	name  string
	needs []int
}

type mapping struct {
	line  gate.Line
	crowd *gate.Crowd
	gives []bool // by feature
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	t := &shelf{system: s.System.Name, roster: &s.Roster}
	for i := range d.Products {
		t.products = append(t.products, compileProduct(s, &d.Products[i]))
	}
	slices.SortStableFunc(t.products, func(a, b product) int { return strings.Compare(a.name, b.name) })
	for i := 1; i < len(t.products); i++ {
		if t.products[i].name == t.products[i-1].name {
			s.Errors.Addf(t.products[i].line.Place, "product %s is here twice; it is also at %s", t.products[i].name, t.products[i-1].line.Place)
		}
	}
	for i := range d.Mappings {
		t.compileMapping(s, &d.Mappings[i], i)
	}
	return t
}

func compileProduct(s *gate.Site, d *Product) product {
	p := product{name: d.Name.Value, line: s.Line("product "+d.Name.Value, d.Place), seatings: &directory.Memo[*seating]{}, off: d.Off}
	if d.Seats != nil {
		p.limited, p.seats = true, *d.Seats
		if p.seats < 0 {
			s.Errors.Addf(d.Place, "product %s cannot have %d seats", p.name, p.seats)
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
				s.Missing("feature", ref, name.Near(ref.Name, p.featureNames()), p.line)
				continue
			}
			p.features[i].needs = append(p.features[i].needs, j)
		}
	}
	return p
}

func (t *shelf) compileMapping(s *gate.Site, d *Mapping, i int) {
	line := s.Numbered("mapping", i, d.Place)
	m := mapping{line: line, crowd: s.Who(&d.Who, line, gate.Giving)}
	p := t.product(d.Product.Name)
	if p == nil {
		s.Missing("product", d.Product, name.Near(d.Product.Name, t.productNames()), line)
		return
	}
	m.gives = make([]bool, len(p.features))
	for j := range m.gives {
		m.gives[j] = true
	}
	for _, ref := range d.Without {
		j, ok := p.feature(ref.Name)
		if !ok {
			s.Missing("feature", ref, name.Near(ref.Name, p.featureNames()), line)
			m.crowd.Break()
			continue
		}
		m.gives[j] = false
	}
	if p.off {
		m.crowd.SwitchOff()
	}
	p.mappings = append(p.mappings, m)
	p.giving.Add(m.crowd)
}

func (t *shelf) product(written string) *product {
	for i := range t.products {
		if t.products[i].name == written {
			return &t.products[i]
		}
	}
	return nil
}

func (p *product) feature(written string) (int, bool) {
	return slices.BinarySearchFunc(p.features, written, func(f feature, w string) int { return strings.Compare(f.name, w) })
}

func (t *shelf) productNames() iter.Seq[string] {
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

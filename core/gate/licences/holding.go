package licences

import (
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
)

// holding is the document in which some hold just what they were found to hold. A product without
// a feature is all that it has in the document it is like. Seats are not counted: whoever was
// found to hold one has it. A product that is held has all features that it has there, also those
// that nobody was found to hold.
func holding(like gate.Document, list []gate.Holding) (made gate.Document, left []gate.Holding) {
	of, _ := like.(*Document)
	d := &Document{}
	features := map[string][]string{}
	var fit []gate.Holding
	for _, h := range list {
		all := []string{h.Right}
		if h.Right == "" {
			all = of.features(h.Object)
		}
		if h.Object == "" || len(all) == 0 {
			left = append(left, h)
			continue
		}
		for _, f := range all {
			h.Right = f
			fit = append(fit, h)
			if features[h.Object] == nil {
				features[h.Object] = of.features(h.Object)
			}
			if !slices.Contains(features[h.Object], f) {
				features[h.Object] = append(features[h.Object], f)
			}
		}
	}
	for _, h := range gate.Together(fit) {
		i := slices.IndexFunc(d.Products, func(p Product) bool { return p.Name.Value == h.Object })
		if i < 0 {
			p := Product{Name: place.Text{Value: h.Object}}
			slices.Sort(features[h.Object])
			for _, f := range features[h.Object] {
				p.Features = append(p.Features, Feature{Name: f})
			}
			d.Products = append(d.Products, p)
		}
		m := Mapping{Who: h.Who, Product: name.Ref{Name: h.Object}}
		for _, f := range features[h.Object] {
			if f != h.Right {
				m.Without = append(m.Without, name.Ref{Name: f})
			}
		}
		d.Mappings = append(d.Mappings, m)
	}
	return d, left
}

// features are those of a product.
func (d *Document) features(product string) (names []string) {
	if d == nil {
		return nil
	}
	for _, p := range d.Products {
		if strings.EqualFold(p.Name.Value, product) {
			for _, f := range p.Features {
				names = append(names, f.Name)
			}
		}
	}
	return names
}

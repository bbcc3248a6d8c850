// Package licences is the gate type of products with features and seats
// (docs/model.md section 5.2).
package licences

import (
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "licences",
	Doc:  "Products with features and seats.",
	New:  func() gate.Document { return &Document{} },

	Holding: holding,
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Products []Product `yaml:"products,required" doc:"What is licensed."`
	Mappings []Mapping `yaml:"mappings" doc:"Who gets which product."`
}

// Product is something with features, and perhaps a number of seats.
type Product struct {
	Place    place.Place `yaml:"-"`
	Name     place.Text  `yaml:"product,required" doc:"The name of the product."`
	Seats    *int        `yaml:"seats" doc:"How many people can use it. Missing: any number."`
	Features []Feature   `yaml:"features,required" doc:"What it consists of."`
	Off      bool        `yaml:"off" doc:"true: the product stays in its place, and nobody has it."`
}

// Feature is a part of a product that can be switched off on a mapping.
type Feature struct {
	Place place.Place `yaml:"-"`
	Name  string      `yaml:"feature,required" doc:"The name of the feature."`
	Needs []name.Ref  `yaml:"needs" doc:"Features of the product without which it does not work."`
}

// UnmarshalText takes a feature that is written as its name alone.
func (f *Feature) UnmarshalText(text []byte) error {
	f.Name = string(text)
	return nil
}

// SetPlace notes where the feature stands.
func (f *Feature) SetPlace(p place.Place) { f.Place = p }

// Mapping gives a product.
type Mapping struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	Product  name.Ref   `yaml:"product,required" doc:"The product."`
	Without  []name.Ref `yaml:"without" doc:"Features that are switched off on this mapping."`
}

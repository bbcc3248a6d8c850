// Package connect turns the entries of a foreign directory into our users,
// groups and devices by an attribute table. It opens nothing: the packages
// below it read the formats and protocols.
package connect

import (
	"strings"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Entry is one entry of a directory, wherever it was read.
type Entry struct {
	DN         string
	Place      place.Place
	Attributes []Attribute

	canonical string // the DN's canonical form
	id        string // its identifier, where that is told apart from the attributes
}

// Attribute is one attribute of an entry with its values.
type Attribute struct {
	Type    string   // without options
	Options []string // such as lang-es or binary (RFC 4512 section 2.5)
	Values  []place.Text
}

// Values returns the values of an attribute by its description: a type, and
// options after semicolons. Without options it takes the subtypes with options
// too, after the plain ones (RFC 4512 section 2.5.2).
func (e *Entry) Values(description string) []place.Text {
	typ, rest, _ := strings.Cut(description, ";")
	var wanted []string
	if rest != "" {
		wanted = strings.Split(rest, ";")
	}
	var plain, tagged []place.Text
	for i := range e.Attributes {
		a := &e.Attributes[i]
		if !strings.EqualFold(a.Type, typ) || !hasAll(a.Options, wanted) {
			continue
		}
		if len(a.Options) == len(wanted) {
			plain = append(plain, a.Values...)
		} else {
			tagged = append(tagged, a.Values...)
		}
	}
	return append(plain, tagged...)
}

func hasAll(have, wanted []string) bool {
	for _, w := range wanted {
		found := false
		for _, h := range have {
			found = found || strings.EqualFold(h, w)
		}
		if !found {
			return false
		}
	}
	return true
}

// First returns the first value of an attribute, or the zero Text.
func (e *Entry) First(description string) place.Text {
	if values := e.Values(description); len(values) > 0 {
		return values[0]
	}
	return place.Text{}
}

// within says whether the entry stands within a base, by its canonical form. An
// empty base is above everything.
func (e *Entry) within(base string, scope directory.Scope) bool {
	if !strings.HasSuffix(e.canonical, base) {
		return false
	}
	above := e.canonical[:len(e.canonical)-len(base)]
	if above != "" && base != "" && !strings.HasSuffix(above, "\x00") {
		return false
	}
	switch scope {
	case "base":
		return above == ""
	case "one":
		return strings.Count(above, "\x00") == 1
	}
	return true
}

// prepare computes the canonical form of the DN once. An entry of a file of
// lines has none.
func (e *Entry) prepare() bool {
	if e.canonical == "" && e.DN != "" {
		canonical, ok := name.DN(e.DN)
		if !ok {
			return false
		}
		e.canonical = canonical
	}
	return true
}

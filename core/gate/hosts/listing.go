package hosts

import (
	"slices"

	"gatemap/core/gate"
)

// listing is a document that lists every command line and pattern that some others name, those that
// they except among them, for all who may run it: one may write with one pattern what another writes
// with two.
func listing(d gate.Document, of ...gate.Document) gate.Document {
	with := *d.(*Document)
	with.asked = nil
	for _, other := range of {
		with.asked = append(with.asked, other.(*Document).rights()...)
	}
	slices.Sort(with.asked)
	if with.asked = slices.Compact(with.asked); len(with.asked) == 0 {
		return d
	}
	return &with
}

// rights are those that the lines of a document that are on name.
func (d *Document) rights() (list []string) {
	for i := range d.Elevate {
		e := &d.Elevate[i]
		if e.Off {
			continue
		}
		for _, patterns := range [][]gate.Pattern{e.Commands, e.Except} {
			for _, p := range patterns {
				list = append(list, run(p.Value, e.As))
			}
		}
	}
	return list
}

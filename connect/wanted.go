package connect

import (
	"iter"
	"maps"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/place"
)

// Wanted is what a server is asked for by one table.
type Wanted struct {
	Pick       *directory.Pick
	Attributes []string // empty: all
}

// Wanted yields what each table asks for.
func (t *Tables) Wanted() iter.Seq2[Kind, Wanted] {
	return func(yield func(Kind, Wanted) bool) {
		if u := t.source.Users; u != nil {
			w := Wanted{Pick: &u.Pick}
			if u.Attributes != nil {
				w.ask(slices.Sorted(maps.Values(u.Attributes))...)
				w.ask(u.Name, u.Key, u.Expires.Attribute, u.PrimaryGroup)
				w.asked(u.Disabled)
			} else {
				w.ask("*", u.Name, u.Key, u.Expires.Attribute, u.PrimaryGroup)
				w.asked(u.Disabled)
			}
			if !yield(User, w) {
				return
			}
		}
		if g := t.source.Groups; g != nil {
			w := Wanted{Pick: &g.Pick}
			w.ask(g.Members...)
			w.ask(g.Name, g.Key, g.Number, g.Description, g.Managers)
			w.asked(slices.Collect(maps.Values(g.Kind))...)
			w.asked(slices.Collect(maps.Values(g.MembersFrom))...)
			w.asked(slices.Collect(maps.Values(g.UsableIn))...)
			if !yield(Group, w) {
				return
			}
		}
		if d := t.source.Devices; d != nil {
			w := Wanted{Pick: &d.Pick}
			w.ask(d.Name, d.Key, d.PrimaryGroup)
			w.asked(d.Managed, d.Compliant)
			yield(Device, w)
		}
	}
}

func (w *Wanted) ask(attributes ...string) {
	for _, a := range attributes {
		if a != "" && !slices.ContainsFunc(w.Attributes, func(x string) bool { return strings.EqualFold(x, a) }) {
			w.Attributes = append(w.Attributes, a)
		}
	}
}

// asked adds the attributes that filters ask for.
func (w *Wanted) asked(filters ...place.Text) {
	for _, f := range filters {
		w.ask(namedIn(f.Value)...)
	}
	slices.Sort(w.Attributes)
}

// TakeAs adds an entry of which a server says that it is meant.
func (t *Tables) TakeAs(k Kind, e *Entry, to *Records) {
	switch k {
	case User:
		t.TakeUser(e, to)
	case Group:
		t.TakeGroup(e, to)
	case Device:
		t.TakeDevice(e, to)
	}
}

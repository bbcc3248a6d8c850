package change

import (
	"reflect"
	"slices"

	"gatemap/core/atlas"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// settled says whether a system, with all that it needs answers from, answers everyone as
// before whose record and groups are what they were: it is written as it was, finds what it
// found, shares nothing out, shows nothing else, and names no network or window that is
// another now.
func (t *Trial) settled(old, is *atlas.System, other map[string]bool) bool {
	was := map[string]*atlas.System{}
	for _, x := range old.Looks() {
		was[x.Name()] = x
	}
	return !slices.ContainsFunc(is.Looks(), func(x *atlas.System) bool {
		before := was[x.Name()]
		if before == nil || !slices.Equal(lost(before), lost(x)) {
			return true
		}
		if before.Document != x.Document && !reflect.DeepEqual(before.Document, x.Document) {
			return true
		}
		return shows(before, x) || x.Site.AllNetworks && len(other) > 0 || mentions(reflect.ValueOf(x.Document), other)
	})
}

// others are the folded names of the networks and windows that are others than before, that
// came or that went.
func others(before, after *situation.Frame) map[string]bool {
	other := map[string]bool{}
	note := func(_, named string, _ bool) { other[name.Fold(named)] = true }
	unlike(before, after, note)
	unlike(after, before, note)
	return other
}

// unlike visits the networks and windows of a frame that are not in another one as they are:
// there says whether it has one of that name, with other addresses or times, or spelled
// otherwise.
func unlike(frame, other *situation.Frame, visit func(kind, named string, there bool)) {
	for i := range frame.Networks {
		n := &frame.Networks[i]
		at, there := other.Network(n.Name)
		if !there || n.Name != other.Networks[at].Name || !n.Same(&other.Networks[at]) {
			visit("network", n.Name, there)
		}
	}
	sameZone := frame.Zone.String() == other.Zone.String()
	for i := range frame.Windows {
		w := &frame.Windows[i]
		at, there := other.Window(w.Name)
		if !there || w.Name != other.Windows[at].Name || !w.Same(&other.Windows[at]) || !sameZone {
			visit("window", w.Name, there)
		}
	}
}

// mentions says whether some text in a value is one of some folded names.
func mentions(v reflect.Value, names map[string]bool) bool {
	switch v.Kind() {
	case reflect.String:
		return names[name.Fold(v.String())]
	case reflect.Pointer, reflect.Interface:
		return !v.IsNil() && mentions(v.Elem(), names)
	case reflect.Struct:
		for i := range v.NumField() {
			if mentions(v.Field(i), names) {
				return true
			}
		}
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			if mentions(v.Index(i), names) {
				return true
			}
		}
	case reflect.Map:
		for r := v.MapRange(); r.Next(); {
			if mentions(r.Key(), names) || mentions(r.Value(), names) {
				return true
			}
		}
	}
	return false
}

package change

import (
	"reflect"
	"slices"

	"gatemap/core/atlas"
	"gatemap/core/gate"
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
		if before == nil || before.Document != x.Document && !reflect.DeepEqual(before.Document, x.Document) || !slices.Equal(lost(before), lost(x)) {
			return true
		}
		_, networked := x.Gate.(gate.Networked)
		return shows(before.Gate, x.Gate) || networked && len(other) > 0 || mentions(reflect.ValueOf(x.Document), other)
	})
}

// others are the folded names of the networks and windows that are others than before, that
// came or that went.
func others(before, after *situation.Frame) map[string]bool {
	other := map[string]bool{}
	note := func(was, is *situation.Frame) {
		for _, n := range was.Networks {
			if i, there := is.Network(n.Name); !there || !slices.Equal(n.Prefixes, is.Networks[i].Prefixes) {
				other[name.Fold(n.Name)] = true
			}
		}
		for _, w := range was.Windows {
			i, there := is.Window(w.Name)
			if !there || !reflect.DeepEqual(w, is.Windows[i]) || was.Zone.String() != is.Zone.String() {
				other[name.Fold(w.Name)] = true
			}
		}
	}
	note(before, after)
	note(after, before)
	return other
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

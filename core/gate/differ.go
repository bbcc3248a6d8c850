package gate

import (
	"reflect"

	"gatemap/core/place"
)

// Differing lists for whom the lines are in which two documents of a system
// differ. ok is false if they differ in more than lines that say for whom they
// are, so that the difference can matter to anyone. Of an ordered list, a line
// that has been moved counts with all that it passes.
func Differing(old, now *System) (who []*Who, ok bool) {
	d := differ{}
	ok = d.values(reflect.ValueOf(old).Elem(), reflect.ValueOf(now).Elem())
	return d.who, ok
}

type differ struct{ who []*Who }

var (
	placeType = reflect.TypeFor[place.Place]()
	whoType   = reflect.TypeFor[Who]()
)

// values goes down to what differs, and says whether all of it is lines.
func (d *differ) values(a, b reflect.Value) bool {
	switch {
	case same(a, b):
		return true
	case a.Type() != b.Type():
		return false
	}
	switch a.Kind() {
	case reflect.Pointer, reflect.Interface:
		return !a.IsNil() && !b.IsNil() && d.values(a.Elem(), b.Elem())
	case reflect.Struct:
		if d.line(a) {
			return d.line(b)
		}
		for i := range a.NumField() {
			if !d.values(a.Field(i), b.Field(i)) {
				return false
			}
		}
		return true
	case reflect.Slice:
		return d.lists(a, b)
	}
	return false
}

// lists leaves aside what two lists begin and end with alike.
func (d *differ) lists(a, b reflect.Value) bool {
	from, lastA, lastB := 0, a.Len(), b.Len()
	for from < lastA && from < lastB && same(a.Index(from), b.Index(from)) {
		from++
	}
	for lastA > from && lastB > from && same(a.Index(lastA-1), b.Index(lastB-1)) {
		lastA, lastB = lastA-1, lastB-1
	}
	if a.Len() == b.Len() {
		for i := from; i < lastA; i++ {
			if !d.values(a.Index(i), b.Index(i)) {
				return false
			}
		}
		return true
	}
	for _, part := range []reflect.Value{a.Slice(from, lastA), b.Slice(from, lastB)} {
		for i := range part.Len() {
			if !d.line(part.Index(i)) {
				return false
			}
		}
	}
	return true
}

// line notes for whom a line is; ok is false if it does not say.
func (d *differ) line(v reflect.Value) (ok bool) {
	if v.Kind() != reflect.Struct {
		return false
	}
	for i := range v.NumField() {
		if f := v.Field(i); f.Type() == whoType {
			who := f.Addr().Interface().(*Who)
			d.who = append(d.who, who)
			return !who.Empty()
		}
	}
	return false
}

// same says whether two values were written alike, wherever they stand.
func same(a, b reflect.Value) bool {
	if a.Type() != b.Type() {
		return false
	}
	switch a.Kind() {
	case reflect.Pointer, reflect.Interface:
		return a.IsNil() == b.IsNil() &&
			(a.IsNil() || a.Kind() == reflect.Pointer && a.Pointer() == b.Pointer() || same(a.Elem(), b.Elem()))
	case reflect.Struct:
		for i := range a.NumField() {
			if a.Type() != placeType && !same(a.Field(i), b.Field(i)) {
				return false
			}
		}
		return true
	case reflect.Slice, reflect.Array:
		if a.Len() != b.Len() {
			return false
		}
		for i := range a.Len() {
			if !same(a.Index(i), b.Index(i)) {
				return false
			}
		}
		return true
	case reflect.Map:
		if a.Len() != b.Len() {
			return false
		}
		for _, key := range a.MapKeys() {
			if other := b.MapIndex(key); !other.IsValid() || !same(a.MapIndex(key), other) {
				return false
			}
		}
		return true
	case reflect.Func:
		return a.IsNil() && b.IsNil()
	}
	return a.Equal(b)
}

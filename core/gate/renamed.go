package gate

import (
	"reflect"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// Renamed is a copy of a document in which the users and groups that lines and exceptions name
// have other names.
func Renamed(d Document, user, group func(string) string) Document {
	return Rewritten(d, func(w *Who) {
		rename(w.Users, user)
		rename(w.Groups, group)
	}, func(p *directory.People) {
		rename(p.Users, user)
		rename(p.Groups, group)
	})
}

func rename(refs []name.Ref, to func(string) string) {
	for i := range refs {
		refs[i].Name = to(refs[i].Name)
	}
}

// Rewritten is a copy of a document in which for whom lines and exceptions are was rewritten.
func Rewritten(d Document, who func(*Who), people func(*directory.People)) Document {
	return rewriting{who: who, people: people}.of(d)
}

// Narrowed is a copy of a document in which for whom lines are was rewritten, without those lines
// that are then for nobody.
func Narrowed(d Document, who func(*Who)) Document {
	return rewriting{who: who, people: func(*directory.People) {}, nobody: new(bool)}.of(d)
}

// Inspect visits for whom the lines and exceptions of a document are. What it visits is not to be changed.
func Inspect(d Document, who func(*Who), people func(*directory.People)) {
	rewriting{who: who, people: people, plain: map[reflect.Type]bool{}}.look(reflect.ValueOf(d))
}

type rewriting struct {
	who    func(*Who)
	people func(*directory.People)
	nobody *bool                 // the entry of a list that is being copied is for nobody any more; nil: it stays
	plain  map[reflect.Type]bool // what is known of types: whether there is nothing in them to copy or to rewrite
}

func (r rewriting) of(d Document) Document {
	r.plain = map[reflect.Type]bool{}
	r.own(reflect.ValueOf(&d).Elem())
	return d
}

var peopleType = reflect.TypeFor[directory.People]()

// own makes everything that a value points to its own, and rewrites it.
func (r rewriting) own(v reflect.Value) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			to := reflect.New(v.Type().Elem())
			to.Elem().Set(v.Elem())
			r.own(to.Elem())
			v.Set(to)
		}
	case reflect.Interface:
		if !v.IsNil() {
			v.Set(r.copied(v.Elem()))
		}
	case reflect.Slice:
		if !v.IsNil() {
			v.Set(r.entries(v))
		}
	case reflect.Map:
		if !v.IsNil() {
			to := reflect.MakeMapWithSize(v.Type(), v.Len())
			for at := v.MapRange(); at.Next(); {
				to.SetMapIndex(at.Key(), r.copied(at.Value()))
			}
			v.Set(to)
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Field(i); f.CanSet() && !r.isPlain(f.Type()) {
				r.own(f)
			}
		}
		r.rewrite(v)
	}
}

// look hands on for whom everything in a value is.
func (r rewriting) look(v reflect.Value) {
	if !v.IsValid() || r.isPlain(v.Type()) {
		return
	}
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		r.look(v.Elem())
	case reflect.Slice:
		for i := range v.Len() {
			r.look(v.Index(i))
		}
	case reflect.Map:
		for at := v.MapRange(); at.Next(); {
			r.look(at.Value())
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Field(i); f.CanInterface() {
				r.look(f)
			}
		}
		if !v.CanAddr() {
			to := reflect.New(v.Type()).Elem()
			to.Set(v)
			v = to
		}
		r.rewrite(v)
	}
}

// copied is a copy of a value that cannot be set.
func (r rewriting) copied(v reflect.Value) reflect.Value {
	to := reflect.New(v.Type()).Elem()
	to.Set(v)
	r.own(to)
	return to
}

// rewrite rewrites for whom something is, if a struct says that.
func (r rewriting) rewrite(v reflect.Value) {
	switch v.Type() {
	case whoType:
		w := v.Addr().Interface().(*Who)
		was := w.Empty()
		if r.who(w); r.nobody != nil {
			*r.nobody = !was && w.Empty()
		}
	case peopleType:
		r.people(v.Addr().Interface().(*directory.People))
	}
}

// entries copies the entries of a list that stay.
func (r rewriting) entries(v reflect.Value) reflect.Value {
	to := reflect.MakeSlice(v.Type(), v.Len(), v.Len())
	reflect.Copy(to, v)
	if r.isPlain(v.Type().Elem()) {
		return to
	}
	left := 0
	for i := range to.Len() {
		if r.nobody != nil {
			r.nobody = new(bool) // of this entry, whatever lists it has
		}
		if r.own(to.Index(i)); r.nobody == nil || !*r.nobody {
			to.Index(left).Set(to.Index(i))
			left++
		}
	}
	return to.Slice(0, left)
}

// isPlain says whether a copy of a value of a type is all its own, and nothing in it is rewritten.
func (r rewriting) isPlain(t reflect.Type) bool {
	plain, known := r.plain[t]
	if known {
		return plain
	}
	switch t.Kind() {
	case reflect.Pointer, reflect.Interface, reflect.Slice, reflect.Map:
	case reflect.Struct:
		plain = t != whoType && t != peopleType
		for i := 0; plain && i < t.NumField(); i++ {
			plain = r.isPlain(t.Field(i).Type)
		}
	default:
		plain = true
	}
	r.plain[t] = plain
	return plain
}

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
	r := rewriting{who, people, nil}
	return r.copied(reflect.ValueOf(d)).Interface().(Document)
}

// Narrowed is a copy of a document in which for whom lines are was rewritten, without those lines
// that are then for nobody.
func Narrowed(d Document, who func(*Who)) Document {
	r := rewriting{who, func(*directory.People) {}, new(bool)}
	return r.copied(reflect.ValueOf(d)).Interface().(Document)
}

type rewriting struct {
	who    func(*Who)
	people func(*directory.People)
	nobody *bool // the entry of a list that is being copied is for nobody any more; nil: it stays
}

var peopleType = reflect.TypeFor[directory.People]()

// copied copies a value with all that it points to.
func (r rewriting) copied(v reflect.Value) reflect.Value {
	to := reflect.New(v.Type()).Elem()
	to.Set(v)
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			inner := reflect.New(v.Type().Elem())
			inner.Elem().Set(r.copied(v.Elem()))
			to.Set(inner)
		}
	case reflect.Interface:
		if !v.IsNil() {
			to.Set(r.copied(v.Elem()))
		}
	case reflect.Slice:
		if !v.IsNil() {
			to.Set(r.entries(v))
		}
	case reflect.Map:
		if !v.IsNil() {
			to.Set(reflect.MakeMapWithSize(v.Type(), v.Len()))
			for at := v.MapRange(); at.Next(); {
				to.SetMapIndex(at.Key(), r.copied(at.Value()))
			}
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if to.Field(i).CanSet() {
				to.Field(i).Set(r.copied(v.Field(i)))
			}
		}
		switch to.Type() {
		case whoType:
			w := to.Addr().Interface().(*Who)
			was := w.Empty()
			if r.who(w); r.nobody != nil {
				*r.nobody = !was && w.Empty()
			}
		case peopleType:
			r.people(to.Addr().Interface().(*directory.People))
		}
	}
	return to
}

// entries copies the entries of a list that stay.
func (r rewriting) entries(v reflect.Value) reflect.Value {
	to := reflect.MakeSlice(v.Type(), 0, v.Len())
	for i := range v.Len() {
		if r.nobody != nil {
			r.nobody = new(bool) // of this entry, whatever lists it has
		}
		if entry := r.copied(v.Index(i)); r.nobody == nil || !*r.nobody {
			to = reflect.Append(to, entry)
		}
	}
	return to
}

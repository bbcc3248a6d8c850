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
	r := rewriting{who, people}
	return r.copied(reflect.ValueOf(d)).Interface().(Document)
}

type rewriting struct {
	who    func(*Who)
	people func(*directory.People)
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
			to.Set(reflect.MakeSlice(v.Type(), v.Len(), v.Len()))
			for i := range v.Len() {
				to.Index(i).Set(r.copied(v.Index(i)))
			}
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
			r.who(to.Addr().Interface().(*Who))
		case peopleType:
			r.people(to.Addr().Interface().(*directory.People))
		}
	}
	return to
}

package scim

import (
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/filter"
)

// extension is a schema beside the core one.
type extension struct {
	urn    string
	schema []*Attribute // nil: it is not known
	ignore bool         // what is not known in it
}

func (d *Directory) extension(k connect.Kind, urn string) extension {
	e := extension{urn: urn, ignore: d.others == "ignore"}
	if k == connect.User && strings.EqualFold(urn, EnterpriseSchema) {
		e.urn, e.schema = EnterpriseSchema, Schemas[2].Attributes
	}
	return e
}

// assign puts one attribute of the extension into an object; one that is not known as it is.
func (e *extension) assign(inner map[string]any, key string, value any) error {
	switch {
	case find(e.schema, key) != nil:
		return assign(inner, e.schema, key, value)
	case value != nil && !e.ignore:
		inner[key] = value
	}
	return nil
}

// unknown is a path to an attribute of an extension that is not known, of which nothing is
// known but what was sent.
type unknown struct {
	extension
	attribute, sub string         // "" is the whole extension, or the whole attribute
	which          *filter.Filter // nil: all values
}

// apply does one operation with what the path leads to.
func (u *unknown) apply(body map[string]any, o operation) error {
	if u.ignore {
		return nil
	}
	key := spelledAs(body, u.urn)
	inner, _ := body[key].(map[string]any)
	if inner == nil {
		inner = map[string]any{}
	}
	delete(body, key)
	if u.attribute == "" {
		given, _ := o.Value.(map[string]any)
		if o.Op == "remove" {
			clear(inner)
		}
		for k, v := range given {
			change(inner, k, operation{Op: o.Op, Value: v})
		}
	} else {
		u.at(inner, o)
	}
	if len(inner) > 0 {
		body[key] = inner
	}
	return nil
}

// at changes the attribute in the extension.
func (u *unknown) at(inner map[string]any, o operation) {
	if u.which == nil && u.sub == "" {
		change(inner, u.attribute, o)
		return
	}
	key := spelledAs(inner, u.attribute)
	if object, is := inner[key].(map[string]any); is && u.which == nil {
		change(object, u.sub, o)
		return
	}
	list, is := inner[key].([]any)
	if !is {
		if o.Op != "remove" && u.which == nil {
			inner[key] = map[string]any{u.sub: o.Value}
		}
		return
	}
	var kept []any
	for _, item := range list {
		object, complex := item.(map[string]any)
		switch {
		case !matches(u.which, item):
		case u.sub != "" && complex:
			change(object, u.sub, o)
		case o.Op == "remove":
			continue
		case u.sub == "":
			item = o.Value
		}
		kept = append(kept, item)
	}
	store(inner, key, kept)
}

// change does one operation with a value under a key: add puts values beside those of a
// list, and keys beside those of an object.
func change(object map[string]any, key string, o operation) {
	key = spelledAs(object, key)
	values, several := o.Value.([]any)
	list, is := object[key].([]any)
	switch {
	case o.Op == "remove" && is && several: // some programs list the values to be removed
		store(object, key, without(list, values))
	case o.Op == "remove" || o.Value == nil:
		delete(object, key)
	case o.Op == "add" && is && several:
		object[key] = append(list, without(values, list)...)
	case o.Op == "add" && is:
		object[key] = append(list, without([]any{o.Value}, list)...)
	default:
		old, _ := object[key].(map[string]any)
		given, is := o.Value.(map[string]any)
		if o.Op != "add" || old == nil || !is {
			object[key] = o.Value
			return
		}
		for k, v := range given {
			old[k] = v
		}
	}
}

// without are the values of one list that another does not have.
func without(list, other []any) []any {
	there := map[string]bool{}
	for _, item := range other {
		there[identity(item, false)] = true
	}
	return slices.DeleteFunc(slices.Clone(list), func(item any) bool { return there[identity(item, false)] })
}

// spelledAs is a key as an object spells it, or as it is written where it is not there.
func spelledAs(object map[string]any, key string) string {
	for k := range object {
		if strings.EqualFold(k, key) {
			return k
		}
	}
	return key
}

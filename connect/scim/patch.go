package scim

import (
	"encoding/json"
	"strings"

	"gatemap/connect"
)

// patch applies operations to the body of a resource, all or none.
func (d *Directory) patch(k connect.Kind, body map[string]any, all []operation) (map[string]any, error) {
	body = clone(body).(map[string]any)
	for _, o := range all {
		if err := d.apply(k, body, o); err != nil {
			return nil, err
		}
	}
	return body, required(k, body)
}

func (d *Directory) apply(k connect.Kind, body map[string]any, o operation) error {
	if o.Path == "" {
		object, ok := o.Value.(map[string]any)
		if !ok {
			return invalid("invalidValue", "without a path the value is an object of attributes")
		}
		for key, value := range object {
			if strings.EqualFold(key, "schemas") || strings.EqualFold(key, "id") || strings.EqualFold(key, "meta") {
				continue
			}
			if err := d.apply(k, body, operation{o.Op, key, value}); err != nil {
				return err
			}
		}
		return nil
	}
	t, err := d.parse(k, body, o)
	if err != nil {
		return err
	}
	if t.unknown != nil {
		return t.unknown.apply(body, o)
	}
	object := body
	if t.urn != "" {
		inner, _ := body[t.urn].(map[string]any)
		if inner == nil {
			inner = map[string]any{}
		}
		defer func() {
			delete(body, t.urn)
			if len(inner) > 0 {
				body[t.urn] = inner
			}
		}()
		object = inner
		if t.attribute == nil {
			return d.whole(k, t.urn, inner, o)
		}
	}
	if t.attribute.Name == "password" {
		return nil
	}
	if o.Op == "remove" {
		return t.remove(object, o.Value)
	}
	return t.put(object, o)
}

// whole changes all attributes of an extension at once.
func (d *Directory) whole(k connect.Kind, urn string, inner map[string]any, o operation) error {
	if o.Op == "remove" {
		clear(inner)
		return nil
	}
	given, ok := o.Value.(map[string]any)
	if !ok {
		return invalid("invalidValue", "%s is an object", urn)
	}
	e := d.extension(k, urn)
	for key, value := range given { // the sub-attributes that are given; others stay
		delete(inner, spelledAs(inner, key))
		if err := e.assign(inner, key, value); err != nil {
			return err
		}
	}
	return nil
}

func (t *target) remove(object map[string]any, given any) error {
	a := t.attribute
	if a.Required && t.sub == nil {
		return &Error{400, "mutability", a.Name + " is required and cannot be removed"}
	}
	if !a.MultiValued {
		if t.sub == nil {
			delete(object, a.Name)
		} else if inner, ok := object[a.Name].(map[string]any); ok {
			delete(inner, t.sub.Name)
		}
		return nil
	}
	list, _ := object[a.Name].([]any)
	var unwanted map[string]bool // some programs list the values to be removed
	if given != nil && t.which == nil && t.sub == nil {
		checked, err := check(a, given)
		if err != nil {
			return err
		}
		items, _ := checked.([]any)
		unwanted = make(map[string]bool, len(items)) // of an empty list, nobody
		for _, item := range items {
			unwanted[identity(item, true)] = true
		}
	}
	var kept []any // what is not there is gone already
	for _, item := range list {
		switch {
		case !matches(t.which, item), unwanted != nil && !unwanted[identity(item, true)]:
			kept = append(kept, item)
			continue
		case t.sub != nil:
			if inner, ok := item.(map[string]any); ok {
				delete(inner, t.sub.Name)
				if len(inner) > 0 {
					kept = append(kept, item)
				}
			}
		}
	}
	store(object, a.Name, kept)
	return nil
}

func store(object map[string]any, key string, list []any) {
	if len(list) == 0 {
		delete(object, key)
		return
	}
	object[key] = list
}

// identity is the same text for values of an attribute that stand for the same: equal
// ones, and with byValue those with the same value.
func identity(item any, byValue bool) string {
	if object, ok := item.(map[string]any); ok && byValue && object["value"] != nil {
		item, byValue = object["value"], true
	} else {
		byValue = false
	}
	raw, err := json.Marshal(item)
	if err != nil {
		panic(err) // it was read from JSON
	}
	if byValue {
		return "value " + string(raw)
	}
	return string(raw)
}

package scim

import (
	"encoding/json"
	"reflect"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/filter"
)

// operation is one operation of a PATCH (RFC 7644 section 3.5.2).
type operation struct {
	Op    string
	Path  string
	Value any
}

// operations reads the body of a PATCH.
func operations(body map[string]any) ([]operation, error) {
	var list []any
	named := false
	for key, value := range body {
		switch strings.ToLower(key) {
		case "schemas":
			schemas, _ := value.([]any)
			named = slices.ContainsFunc(schemas, func(s any) bool { text, _ := s.(string); return strings.EqualFold(text, PatchMessage) })
		case "operations":
			list, _ = value.([]any)
		}
	}
	if !named {
		return nil, invalid("invalidSyntax", "schemas must name %s", PatchMessage)
	}
	if len(list) == 0 {
		return nil, invalid("invalidSyntax", "Operations must list at least one operation")
	}
	var all []operation
	for i, item := range list {
		object, _ := item.(map[string]any)
		var o operation
		hasValue := false
		for key, value := range object {
			text, _ := value.(string)
			switch strings.ToLower(key) {
			case "op":
				o.Op = strings.ToLower(text)
			case "path":
				o.Path = text
			case "value":
				o.Value, hasValue = value, true
			}
		}
		switch o.Op {
		case "add", "replace":
			if !hasValue {
				return nil, invalid("invalidValue", "operation %d: %s needs a value", i+1, o.Op)
			}
		case "remove":
			if o.Path == "" {
				return nil, invalid("noTarget", "operation %d: remove needs a path", i+1)
			}
		default:
			return nil, invalid("invalidSyntax", "operation %d: op is add, remove or replace, not %q", i+1, o.Op)
		}
		all = append(all, o)
	}
	return all, nil
}

// target is what a path leads to: an attribute of the resource or of an
// extension, some of its values, and a sub-attribute of these.
type target struct {
	urn       string // of the extension; "": the core
	attribute *Attribute
	which     *filter.Filter // nil: all values
	simple    [][2]string    // what a filter of "eq" alone asks for
	sub       *Attribute
}

// parse reads a path: attr, attr.sub, attr[filter], attr[filter].sub, each with a
// URN in front or without (RFC 7644 section 3.5.2, figure 7).
func parse(k connect.Kind, path string) (*target, error) {
	wrong := func(why string) error { return invalid("invalidPath", "the path %q %s", path, why) }
	t := &target{}
	schema, rest := core(k), path
	if strings.HasPrefix(strings.ToLower(path), "urn:") {
		switch {
		case hasPrefixFold(path, schemaOf(k)+":"):
			rest = path[len(schemaOf(k))+1:]
		case k == connect.User && (strings.EqualFold(path, EnterpriseSchema) || hasPrefixFold(path, EnterpriseSchema+":")):
			t.urn, schema = EnterpriseSchema, Schemas[2].Attributes
			if rest = strings.TrimPrefix(path[len(EnterpriseSchema):], ":"); rest == "" {
				return t, nil
			}
		default:
			return nil, wrong("begins with a schema that this resource does not have")
		}
	}
	before, inner, after := rest, "", ""
	if open := strings.IndexByte(rest, '['); open >= 0 {
		end := closing(rest, open)
		if end < 0 {
			return nil, wrong("has a bracket that is not closed")
		}
		before, inner, after = rest[:open], rest[open+1:end], rest[end+1:]
		f, err := filter.Parse(inner)
		if err != nil {
			return nil, invalid("invalidFilter", "the path %q has a filter with an error at %v", path, err)
		}
		t.which = f
		if after != "" && !strings.HasPrefix(after, ".") {
			return nil, wrong("goes on after its filter with something that is no sub-attribute")
		}
		after = strings.TrimPrefix(after, ".")
	} else if at := strings.IndexByte(rest, '.'); at >= 0 {
		before, after = rest[:at], rest[at+1:]
	}
	if t.attribute = find(schema, before); t.attribute == nil {
		return nil, wrong("names no attribute")
	}
	if t.which != nil && !t.attribute.MultiValued {
		return nil, wrong("filters an attribute that has one value")
	}
	if after != "" {
		if t.sub = find(t.attribute.Sub, after); t.sub == nil {
			return nil, wrong("names no sub-attribute of " + t.attribute.Name)
		}
	}
	if t.attribute.Mutability == "readOnly" || t.sub != nil && t.sub.Mutability == "readOnly" {
		return nil, &Error{400, "mutability", "the path " + path + " leads to what only the service sets"}
	}
	t.simple = equalities(inner)
	return t, nil
}

func hasPrefixFold(s, prefix string) bool {
	return len(s) >= len(prefix) && strings.EqualFold(s[:len(prefix)], prefix)
}

// closing finds the bracket that closes one, outside of texts.
func closing(s string, open int) int {
	quoted := false
	for i := open + 1; i < len(s); i++ {
		switch {
		case quoted && s[i] == '\\':
			i++
		case s[i] == '"':
			quoted = !quoted
		case !quoted && s[i] == ']':
			return i
		}
	}
	return -1
}

// equalities reads a filter such as type eq "work" and primary eq true; nil where
// it asks for more than that.
func equalities(inner string) [][2]string {
	if inner == "" {
		return nil
	}
	var all [][2]string
	for _, part := range strings.Split(inner, " and ") {
		words := strings.SplitN(strings.TrimSpace(part), " ", 3)
		if len(words) != 3 || !strings.EqualFold(words[1], "eq") {
			return nil
		}
		var value any
		if json.Unmarshal([]byte(words[2]), &value) != nil {
			return nil
		}
		if _, ok := value.(string); !ok && value != true && value != false {
			return nil
		}
		all = append(all, [2]string{words[0], strings.Trim(words[2], `"`)})
	}
	return all
}

// element is one value of an attribute, as a filter sees it.
type element struct{ attributes directory.Attributes }

func (e element) Values(folded string) []filter.Value { return e.attributes.Get(folded) }
func (element) Exact(string) bool                     { return false }

func matches(f *filter.Filter, value any) bool {
	if f == nil {
		return true
	}
	object, ok := value.(map[string]any)
	if !ok {
		object = map[string]any{"value": value}
	}
	var e element
	for k, v := range object {
		if e.attributes.Set(k, v) != nil {
			return false
		}
	}
	return f.Match(e)
}

// patch applies operations to the body of a resource, all or none.
func patch(k connect.Kind, body map[string]any, all []operation) (map[string]any, error) {
	body = clone(body).(map[string]any)
	for _, o := range all {
		if err := apply(k, body, o); err != nil {
			return nil, err
		}
	}
	return body, required(k, body)
}

func apply(k connect.Kind, body map[string]any, o operation) error {
	if o.Path == "" {
		object, ok := o.Value.(map[string]any)
		if !ok {
			return invalid("invalidValue", "without a path the value is an object of attributes")
		}
		for key, value := range object {
			if strings.EqualFold(key, "schemas") || strings.EqualFold(key, "id") || strings.EqualFold(key, "meta") {
				continue
			}
			if err := apply(k, body, operation{o.Op, key, value}); err != nil {
				return err
			}
		}
		return nil
	}
	t, err := parse(k, o.Path)
	if err != nil {
		return err
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
			return t.whole(inner, o)
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
func (t *target) whole(inner map[string]any, o operation) error {
	if o.Op == "remove" {
		clear(inner)
		return nil
	}
	given, ok := o.Value.(map[string]any)
	if !ok {
		return invalid("invalidValue", "%s is an object", t.urn)
	}
	if o.Op == "replace" {
		clear(inner)
	}
	for key, value := range given {
		if err := assign(inner, Schemas[2].Attributes, key, value); err != nil {
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
	var unwanted []any // some programs list the values to be removed
	if given != nil && t.which == nil && t.sub == nil {
		checked, err := check(a, given)
		if err != nil {
			return err
		}
		unwanted, _ = checked.([]any)
	}
	found := false
	var kept []any
	for _, item := range list {
		switch {
		case !matches(t.which, item), unwanted != nil && !slices.ContainsFunc(unwanted, func(x any) bool { return sameValue(x, item) }):
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
		found = true
	}
	if t.which != nil && !found {
		return invalid("noTarget", "no value of %s is as the path says", a.Name)
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

// sameValue says that two values of an attribute stand for the same: equal, or
// with the same value.
func sameValue(a, b any) bool {
	x, ok := a.(map[string]any)
	y, too := b.(map[string]any)
	if ok && too && x["value"] != nil {
		return reflect.DeepEqual(x["value"], y["value"])
	}
	return reflect.DeepEqual(a, b)
}

func (t *target) put(object map[string]any, o operation) error {
	a := t.attribute
	switch {
	case t.sub == nil && t.which == nil:
		return t.putWhole(object, o)
	case !a.MultiValued: // attr.sub
		inner, _ := object[a.Name].(map[string]any)
		if inner == nil {
			inner = map[string]any{}
		}
		delete(inner, t.sub.Name)
		if err := assign(inner, a.Sub, t.sub.Name, o.Value); err != nil {
			return err
		}
		object[a.Name] = inner
		if len(inner) == 0 {
			delete(object, a.Name)
		}
		return nil
	}
	list, _ := object[a.Name].([]any)
	at := -1
	for i, item := range list {
		if !matches(t.which, item) {
			continue
		}
		at = i
		inner, ok := item.(map[string]any)
		if t.sub == nil {
			one, err := single(a, o.Value)
			if err != nil {
				return err
			}
			if given, object := one.(map[string]any); object && ok && o.Op == "add" {
				merged := clone(inner).(map[string]any)
				for k, v := range given {
					merged[k] = v
				}
				one = merged
			}
			list[i] = one
			continue
		}
		delete(inner, t.sub.Name)
		if err := assign(inner, a.Sub, t.sub.Name, o.Value); err != nil {
			return err
		}
	}
	if at < 0 {
		if t.which != nil && (t.simple == nil || o.Op == "replace" && t.sub == nil) {
			return invalid("noTarget", "no value of %s is as the path says", a.Name)
		}
		// A new value, as the filter describes it.
		fresh := map[string]any{}
		for _, pair := range t.simple {
			var value any = pair[1]
			if pair[1] == "true" || pair[1] == "false" {
				value = pair[1] == "true"
			}
			if err := assign(fresh, a.Sub, pair[0], value); err != nil {
				return err
			}
		}
		if t.sub != nil {
			if err := assign(fresh, a.Sub, t.sub.Name, o.Value); err != nil {
				return err
			}
		} else if given, ok := o.Value.(map[string]any); ok {
			for k, v := range given {
				if err := assign(fresh, a.Sub, k, v); err != nil {
					return err
				}
			}
		}
		list, at = append(list, fresh), len(list)
	}
	object[a.Name] = onePrimary(list, at)
	return nil
}

// putWhole puts values of a whole attribute: replace in the place of those there,
// add beside them where there may be several.
func (t *target) putWhole(object map[string]any, o operation) error {
	a := t.attribute
	checked, err := check(a, o.Value)
	if err != nil {
		return err
	}
	if checked == nil {
		if o.Op == "replace" {
			if a.Required {
				return invalid("invalidValue", "%s needs a value", a.Name)
			}
			delete(object, a.Name)
		}
		return nil
	}
	old := object[a.Name]
	switch {
	case a.MultiValued && o.Op == "add":
		list, _ := old.([]any)
		for _, item := range checked.([]any) {
			if !slices.ContainsFunc(list, func(x any) bool { return reflect.DeepEqual(x, item) || a.Name == "members" && sameValue(x, item) }) {
				list = append(list, item)
			}
		}
		object[a.Name] = onePrimary(list, len(list)-1)
	case a.Type == "complex" && !a.MultiValued && old != nil:
		// The sub-attributes that are given; others stay as they are.
		inner := old.(map[string]any)
		for k, v := range checked.(map[string]any) {
			inner[k] = v
		}
	default:
		object[a.Name] = checked
	}
	return nil
}

// onePrimary sees to it that a value that becomes primary is the only one
// (RFC 7644 section 3.5.2): the one that was put last, where that is.
func onePrimary(list []any, last int) []any {
	is := func(i int) bool {
		object, ok := list[i].(map[string]any)
		return ok && object["primary"] == true
	}
	if last < 0 || !is(last) {
		return list
	}
	for i := range list {
		if i != last && is(i) {
			list[i].(map[string]any)["primary"] = false
		}
	}
	return list
}

package scim

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// Resource is one user or group as it was pushed. It is not changed once made.
type Resource struct {
	Kind     connect.Kind   `json:"-"`
	ID       string         `json:"id"`
	Created  time.Time      `json:"created"`
	Modified time.Time      `json:"modified"`
	Body     map[string]any `json:"body"` // without id, meta, schemas, groups and password

	from string // the service provider that has it; "": it was pushed

	// What it was made into, once.
	raw   []byte
	user  *directory.User
	group *directory.Group
}

// Name is the name by which the resource is known in the map.
func (r *Resource) Name() string {
	key := "userName"
	if r.Kind == connect.Group {
		key = "displayName"
	}
	s, _ := r.Body[key].(string)
	return s
}

// Version is the entity tag of the resource (RFC 7644 section 3.14).
func (r *Resource) Version() string {
	raw, _ := json.Marshal(r) // what was read as JSON can be written as it
	sum := sha256.Sum256(raw)
	return `W/"` + base64.RawURLEncoding.EncodeToString(sum[:12]) + `"`
}

// encode writes the resource for a record, and decode reads it again.
func (r *Resource) encode() []byte {
	if r.raw == nil {
		r.raw, _ = json.Marshal(r)
	}
	return r.raw
}

func decode(k connect.Kind, raw []byte) (*Resource, error) {
	r := &Resource{Kind: k, raw: raw}
	if err := unmarshal(raw, r); err != nil {
		return nil, fmt.Errorf("the %s as it was pushed: %w", k, err)
	}
	return r, nil
}

// unmarshal reads JSON with numbers as they stand.
func unmarshal(raw []byte, into any) error {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.UseNumber()
	if err := d.Decode(into); err != nil {
		return err
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return errors.New("there is more text after the end")
	}
	return nil
}

// Object reads a body that is one JSON object.
func Object(raw []byte) (map[string]any, error) {
	var body map[string]any
	if err := unmarshal(raw, &body); err != nil {
		return nil, invalid("invalidSyntax", "the body is not a JSON object: %v", err)
	}
	if body == nil {
		return nil, invalid("invalidSyntax", "the body is empty")
	}
	return body, nil
}

// clean checks a whole resource against the schemas and gives it back with names
// as the schemas spell them, without what only the service sets, and without what
// has no value.
func (d *Directory) clean(k connect.Kind, body map[string]any) (map[string]any, error) {
	var schemas []string
	for key, value := range body {
		if strings.EqualFold(key, "schemas") {
			list, ok := value.([]any)
			if !ok {
				return nil, invalid("invalidValue", "schemas is a list")
			}
			for _, s := range list {
				text, _ := s.(string)
				schemas = append(schemas, strings.ToLower(text))
			}
		}
	}
	if !slices.Contains(schemas, strings.ToLower(schemaOf(k))) {
		return nil, invalid("invalidValue", "schemas must name %s", schemaOf(k))
	}
	out := map[string]any{}
	for key, value := range body {
		if hasPrefixFold(key, "urn:") {
			if err := d.extend(out, k, key, value); err != nil {
				return nil, err
			}
			continue
		}
		if err := assign(out, core(k), key, value); err != nil {
			return nil, err
		}
	}
	return out, required(k, out)
}

func required(k connect.Kind, body map[string]any) error {
	r := Resource{Kind: k, Body: body}
	if strings.TrimSpace(r.Name()) == "" {
		return invalid(
			"invalidValue",
			"a %s needs %s",
			TypeName(k),
			map[connect.Kind]string{connect.User: "userName", connect.Group: "displayName"}[k],
		)
	}
	if err := name.Check(r.Name()); err != nil {
		return invalid("invalidValue", "%v", err)
	}
	return nil
}

// extend puts the attributes of an extension into a resource, whether schemas names it or
// not: many programs forget to.
func (d *Directory) extend(out map[string]any, k connect.Kind, urn string, value any) error {
	if value == nil {
		return nil
	}
	object, ok := value.(map[string]any)
	if !ok {
		return invalid("invalidValue", "%s is an object", urn)
	}
	e := d.extension(k, urn)
	inner := map[string]any{}
	for key, v := range object {
		if err := e.assign(inner, key, v); err != nil {
			return err
		}
	}
	if len(inner) > 0 {
		out[e.urn] = inner
	}
	return nil
}

// assign puts one checked attribute into an object.
func assign(out map[string]any, schema []*Attribute, key string, value any) error {
	a := find(schema, key)
	if a == nil {
		near := name.Near(key, func(yield func(string) bool) {
			for _, x := range schema {
				if !yield(x.Name) {
					return
				}
			}
		})
		return invalid("invalidSyntax", "there is no attribute %q%s", key, name.DidYouMean(near))
	}
	if a.Mutability == "readOnly" || a.Mutability == "writeOnly" || a.Name == "schemas" {
		return nil
	}
	checked, err := check(a, value)
	if err == nil && checked != nil {
		out[a.Name] = checked
	}
	return err
}

// check checks a value of an attribute; nil is no value.
func check(a *Attribute, value any) (any, error) {
	if value == nil {
		return nil, nil
	}
	if !a.MultiValued {
		return single(a, value)
	}
	list, ok := value.([]any)
	if !ok {
		list = []any{value} // one value that is not in a list is meant as one
	}
	var out []any
	primary := 0
	for _, item := range list {
		one, err := single(a, item)
		if err != nil {
			return nil, err
		}
		if object, ok := one.(map[string]any); ok && object["primary"] == true {
			primary++
		}
		if one != nil {
			out = append(out, one)
		}
	}
	if primary > 1 {
		return nil, invalid("invalidValue", "of %s more than one is primary", a.Name)
	}
	if out == nil {
		return nil, nil
	}
	return out, nil
}

func single(a *Attribute, value any) (any, error) {
	wrong := func(want string) error {
		return invalid("invalidValue", "%s is %s, not %v", a.Name, want, brief(value))
	}
	switch a.Type {
	case "boolean":
		switch v := value.(type) {
		case bool:
			return v, nil
		case string: // some programs send booleans as text
			if strings.EqualFold(v, "true") || strings.EqualFold(v, "false") {
				return strings.EqualFold(v, "true"), nil
			}
		}
		return nil, wrong("true or false")
	case "complex":
		object, ok := value.(map[string]any)
		// Some programs send the value alone, such as a manager's identifier.
		if text, plain := value.(string); plain && find(a.Sub, "value") != nil {
			object, ok = map[string]any{"value": text}, true
		}
		if !ok {
			return nil, wrong("an object")
		}
		out := map[string]any{}
		for key, v := range object {
			if err := assign(out, a.Sub, key, v); err != nil {
				return nil, invalid("invalidValue", "%s: %v", a.Name, err)
			}
		}
		if len(out) == 0 {
			return nil, nil
		}
		return out, nil
	}
	s, ok := value.(string)
	if n, number := value.(json.Number); number {
		s, ok = n.String(), true // some programs send numbers for text
	}
	if !ok {
		return nil, wrong("text")
	}
	if s == "" {
		return nil, nil
	}
	return s, nil
}

func brief(v any) string {
	raw, _ := json.Marshal(v)
	return name.Short(string(raw), 40)
}

// clone copies an object deeply.
func clone(v any) any {
	switch x := v.(type) {
	case map[string]any:
		out := make(map[string]any, len(x))
		for k, v := range x {
			out[k] = clone(v)
		}
		return out
	case []any:
		out := make([]any, len(x))
		for i, v := range x {
			out[i] = clone(v)
		}
		return out
	}
	return v
}

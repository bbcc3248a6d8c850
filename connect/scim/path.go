package scim

import (
	"encoding/json"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/filter"
)

// target is what a path leads to: an attribute of the resource or of an
// extension, some of its values, and a sub-attribute of these.
type target struct {
	urn       string // of the extension; "": the core
	attribute *Attribute
	which     *filter.Filter // nil: all values
	simple    [][2]string    // what a filter of "eq" alone asks for
	sub       *Attribute
	unknown   *unknown // instead of all that: of an extension, and not known
}

// parse reads the path of an operation: attr, attr.sub, attr[filter], attr[filter].sub,
// each with a URN in front or without (RFC 7644 section 3.5.2, figure 7).
func (d *Directory) parse(k connect.Kind, body map[string]any, o operation) (*target, error) {
	path := o.Path
	wrong := func(why string) error { return invalid("invalidPath", "the path %q %s", path, why) }
	t := &target{}
	schema, rest := core(k), path
	if hasPrefixFold(path, "urn:") {
		switch {
		case hasPrefixFold(path, schemaOf(k)+":"):
			rest = path[len(schemaOf(k))+1:]
		default:
			urn, attribute := ofExtension(k, body, o)
			if attribute == "" && urn == EnterpriseSchema {
				return &target{urn: urn}, nil
			}
			e := d.extension(k, urn)
			if attribute == "" {
				return &target{unknown: &unknown{extension: e}}, nil
			}
			t.urn, schema, rest = e.urn, e.schema, attribute
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
		if t.urn == "" {
			return nil, wrong("names no attribute")
		}
		return &target{unknown: &unknown{d.extension(k, t.urn), before, after, t.which}}, nil
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

// ofExtension takes the path of an operation apart into the schema of an extension and the
// attribute; "" is the whole extension. Of a schema that the resource does not have yet it
// is taken to be, where the value is an object.
func ofExtension(k connect.Kind, body map[string]any, o operation) (urn, attribute string) {
	known := []string{}
	if k == connect.User {
		known = append(known, EnterpriseSchema)
	}
	for key := range body {
		if hasPrefixFold(key, "urn:") {
			known = append(known, key)
		}
	}
	for _, urn := range known {
		if strings.EqualFold(o.Path, urn) {
			return urn, ""
		}
		if hasPrefixFold(o.Path, urn+":") {
			return urn, o.Path[len(urn)+1:]
		}
	}
	plain := o.Path
	if open := strings.IndexByte(plain, '['); open >= 0 {
		plain = plain[:open]
	}
	at := strings.LastIndexByte(plain, ':')
	if _, object := o.Value.(map[string]any); object && plain == o.Path || at < len("urn:") {
		return o.Path, ""
	}
	return o.Path[:at], o.Path[at+1:]
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

// equalities reads a filter such as type eq "work" and primary eq true; nil if
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

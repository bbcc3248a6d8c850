package directory

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unique"

	"gatemap/core/filter"
	"gatemap/core/name"
)

// Attribute is one attribute of a record with its values.
type Attribute struct {
	Name   string // as the source spells it
	folded string
	Values []filter.Value
}

// Attributes are the attributes of one record, by name regardless of case.
type Attributes []Attribute

// Get returns the values of an attribute by its folded name.
func (a Attributes) Get(folded string) []filter.Value {
	for i := range a {
		if a[i].folded == folded {
			return a[i].Values
		}
	}
	return nil
}

// First returns the text of the first value of an attribute, or "".
func (a Attributes) First(attribute string) string {
	for _, v := range a.Get(name.Fold(attribute)) {
		if v.Kind != filter.Complex {
			return v.Text
		}
		if sub := v.Sub["VALUE"]; len(sub) > 0 {
			return sub[0].Text
		}
	}
	return ""
}

// Set replaces the values of an attribute by plain ones: a string, a bool, a
// number, a map of sub-attributes (RFC 7643 §2.3.8), or a list of these.
func (a *Attributes) Set(attribute string, value any) error {
	values, err := plain(value, 0)
	if err != nil {
		return fmt.Errorf("attribute %s: %w", attribute, err)
	}
	attribute, folded := spellingOf(attribute)
	for i := range *a {
		if (*a)[i].folded == folded {
			(*a)[i].Values = values
			return nil
		}
	}
	*a = append(*a, Attribute{attribute, folded, values})
	return nil
}

// Put is Set for values that are already in our form.
func (a *Attributes) Put(attribute string, values []filter.Value) {
	attribute, folded := spellingOf(attribute)
	*a = append(*a, Attribute{attribute, folded, values})
}

// spellings keeps one copy of each attribute's name, and of its folded form, for
// all the records that have it.
var spellings sync.Map // name: [2]string

func spellingOf(attribute string) (written, folded string) {
	known, ok := spellings.Load(attribute)
	if !ok {
		attribute = strings.Clone(attribute)
		known, _ = spellings.LoadOrStore(attribute, [2]string{attribute, unique.Make(name.Fold(attribute)).Value()})
	}
	pair := known.([2]string)
	return pair[0], pair[1]
}

func plain(value any, depth int) ([]filter.Value, error) {
	switch v := value.(type) {
	case nil:
		return nil, nil
	case string:
		return []filter.Value{{Text: v}}, nil
	case bool:
		return []filter.Value{{Kind: filter.Bool, Text: strconv.FormatBool(v)}}, nil
	case json.Number:
		return []filter.Value{{Kind: filter.Number, Text: v.String()}}, nil
	case []any:
		if depth > 0 {
			return nil, fmt.Errorf("a list inside a list has no meaning here")
		}
		var all []filter.Value
		for _, item := range v {
			one, err := plain(item, depth+1)
			if err != nil {
				return nil, err
			}
			all = append(all, one...)
		}
		return all, nil
	case map[string]any:
		if depth > 1 {
			return nil, fmt.Errorf("sub-attributes have no sub-attributes of their own (RFC 7643 section 2.3.8)")
		}
		sub := make(map[string][]filter.Value, len(v))
		for key, item := range v {
			one, err := plain(item, 2)
			if err != nil {
				return nil, err
			}
			sub[name.Fold(key)] = one
		}
		return []filter.Value{{Kind: filter.Complex, Sub: sub}}, nil
	}
	return nil, fmt.Errorf("a value of type %T has no meaning here", value)
}

// Plain gives the attributes back as plain values, ready for JSON.
func (a Attributes) Plain() map[string]any {
	out := make(map[string]any, len(a))
	for _, at := range a {
		out[at.Name] = toPlain(at.Values)
	}
	return out
}

func toPlain(values []filter.Value) any {
	list := make([]any, len(values))
	for i, v := range values {
		switch v.Kind {
		case filter.Bool:
			list[i] = v.Text == "true"
		case filter.Number:
			list[i] = json.Number(v.Text)
		case filter.Complex:
			sub := make(map[string]any, len(v.Sub))
			for _, key := range slices.Sorted(maps.Keys(v.Sub)) {
				sub[key] = toPlain(v.Sub[key])
			}
			list[i] = sub
		default:
			list[i] = v.Text
		}
	}
	if len(list) == 1 {
		return list[0]
	}
	return list
}

// record is a user as a filter sees it: the attributes, and those that are
// fields of their own.
type record struct {
	user  *User
	exact map[string]bool
}

func (r record) Exact(attribute string) bool { return r.exact[attribute] }

func (r record) Values(attribute string) []filter.Value {
	switch attribute {
	case "USERNAME":
		return []filter.Value{{Text: r.user.Name}}
	case "ACTIVE":
		return []filter.Value{{Kind: filter.Bool, Text: strconv.FormatBool(r.user.IsActive())}}
	case "EXPIRES":
		if r.user.Expires.IsZero() {
			return nil
		}
		return []filter.Value{{Text: r.user.Expires.Format(time.RFC3339)}}
	}
	return r.user.Attributes.Get(attribute)
}

package mapfile

import (
	"encoding"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// decoder turns YAML nodes into documents, by the yaml tags of their types. It
// is strict, and goes on after an error, to report all errors at once.
//
// A type that is an encoding.TextUnmarshaler is read from a scalar; one with a
// Values method takes only those; one with a SetPlace method, or a field of
// type place.Place, learns where it stands; a list may be written as its only
// item.
type decoder struct {
	file        string
	connections []directory.ConnectionKind
	errs        *place.Errors
}

func (d *decoder) at(n *yaml.Node) place.Place {
	return place.Place{File: d.file, Line: int32(n.Line), Column: int32(n.Column)}
}

func (d *decoder) fail(n *yaml.Node, format string, args ...any) {
	d.errs.Addf(d.at(n), format, args...)
}

var (
	placeType  = reflect.TypeFor[place.Place]()
	textType   = reflect.TypeFor[encoding.TextUnmarshaler]()
	valuesType = reflect.TypeFor[interface{ Values() []string }]()
)

func isNull(n *yaml.Node) bool { return n.Kind == yaml.ScalarNode && n.Tag == "!!null" }

// decode fills v, which is settable, from n. key says what n is the value of.
func (d *decoder) decode(n *yaml.Node, v reflect.Value, key string) {
	if n.Kind == yaml.AliasNode || n.Anchor != "" {
		d.fail(n, "anchors and aliases are not used in a map folder: write %s out", key)
		return
	}
	if isNull(n) {
		return
	}
	if v.Kind() == reflect.Pointer {
		v.Set(reflect.New(v.Type().Elem()))
		d.decode(n, v.Elem(), key)
		return
	}
	defer d.tellPlace(n, v)
	if reflect.PointerTo(v.Type()).Implements(textType) && (n.Kind == yaml.ScalarNode || !keyed(v.Type())) {
		d.text(n, v, key)
		return
	}
	switch v.Kind() {
	case reflect.Struct:
		d.structs(n, key, v)
	case reflect.Slice:
		d.list(n, v, key)
	case reflect.Map:
		d.table(n, v, key)
	default:
		d.scalar(n, v, key)
	}
}

func (d *decoder) tellPlace(n *yaml.Node, v reflect.Value) {
	if p, ok := v.Addr().Interface().(interface{ SetPlace(place.Place) }); ok {
		p.SetPlace(d.at(n))
	}
}

func (d *decoder) text(n *yaml.Node, v reflect.Value, key string) {
	if n.Kind != yaml.ScalarNode {
		d.fail(n, "%s is a piece of text, not %s", key, describe(n))
		return
	}
	if err := v.Addr().Interface().(encoding.TextUnmarshaler).UnmarshalText([]byte(n.Value)); err != nil {
		d.fail(n, "%s: %v", key, err)
	}
}

func describe(n *yaml.Node) string {
	switch n.Kind {
	case yaml.SequenceNode:
		return "a list"
	case yaml.MappingNode:
		return "a set of keys"
	}
	return strconv.Quote(n.Value)
}

func (d *decoder) scalar(n *yaml.Node, v reflect.Value, key string) {
	if n.Kind != yaml.ScalarNode {
		d.fail(n, "%s is one value, not %s", key, describe(n))
		return
	}
	switch v.Kind() {
	case reflect.String:
		if v.Type().Implements(valuesType) {
			allowed := v.Interface().(interface{ Values() []string }).Values()
			if !slices.Contains(allowed, n.Value) {
				d.fail(n, "%s is one of %s, not %q%s", key, strings.Join(allowed, ", "), n.Value,
					name.DidYouMean(name.Near(n.Value, slices.Values(allowed))))
				return
			}
		}
		v.SetString(n.Value)
	case reflect.Bool:
		if n.Value != "true" && n.Value != "false" {
			d.fail(n, "%s is true or false, not %q", key, n.Value)
			return
		}
		v.SetBool(n.Value == "true")
	case reflect.Int:
		i, err := strconv.Atoi(n.Value)
		if err != nil {
			d.fail(n, "%s is a whole number, not %q", key, n.Value)
			return
		}
		v.SetInt(int64(i))
	default:
		panic("mapfile: a document has a field of kind " + v.Kind().String())
	}
}

func (d *decoder) list(n *yaml.Node, v reflect.Value, key string) {
	items := n.Content
	switch n.Kind {
	case yaml.ScalarNode:
		items = []*yaml.Node{n}
	case yaml.MappingNode:
		d.fail(n, "%s is a list, not a set of keys; begin each item with a dash", key)
		return
	}
	list := reflect.MakeSlice(v.Type(), len(items), len(items))
	for i, item := range items {
		if isNull(item) {
			d.fail(item, "item %d of %s is empty", i+1, key)
			continue
		}
		d.decode(item, list.Index(i), fmt.Sprintf("item %d of %s", i+1, key))
	}
	v.Set(list)
}

func (d *decoder) table(n *yaml.Node, v reflect.Value, key string) {
	if n.Kind != yaml.MappingNode {
		d.fail(n, "%s is a set of keys, not %s", key, describe(n))
		return
	}
	table := reflect.MakeMapWithSize(v.Type(), len(n.Content)/2)
	for k, value := range d.pairs(n) {
		tableKey := reflect.New(v.Type().Key()).Elem()
		d.scalar(k, tableKey, "key of "+key)
		d.name(k, "key of "+key)
		item := reflect.New(v.Type().Elem()).Elem()
		d.decode(value, item, key+"."+k.Value)
		table.SetMapIndex(tableKey, item)
	}
	v.Set(table)
}

// naming are the keys whose values are names.
var naming = []string{"name", "userName", "directory", "system", "table"}

// name sees that a scalar is a name (name.Check).
func (d *decoder) name(n *yaml.Node, key string) {
	if n.Kind != yaml.ScalarNode {
		return
	}
	if err := name.Check(n.Value); err != nil {
		d.fail(n, "%s: %v", key, err)
	}
}

// pairs yields the keys of a mapping with their values, and reports keys that
// stand twice.
func (d *decoder) pairs(n *yaml.Node) func(func(k, v *yaml.Node) bool) {
	return func(yield func(k, v *yaml.Node) bool) {
		seen := map[string]int{}
		for i := 0; i+1 < len(n.Content); i += 2 {
			k := n.Content[i]
			if k.Kind != yaml.ScalarNode {
				d.fail(k, "a key is a word, not %s", describe(k))
				continue
			}
			if first, twice := seen[k.Value]; twice {
				d.fail(k, "key %s is here twice; it is also at line %d", k.Value, first)
				continue
			}
			seen[k.Value] = k.Line
			if !yield(k, n.Content[i+1]) {
				return
			}
		}
	}
}

// structs fills one or several structs from the keys of one mapping.
func (d *decoder) structs(n *yaml.Node, key string, targets ...reflect.Value) {
	if n.Kind != yaml.MappingNode {
		d.fail(n, "%s is a set of keys, not %s", key, describe(n))
		return
	}
	fields := map[string]field{}
	var order []string
	var rest, connection reflect.Value
	var connected string // of what it is a connection
	for _, v := range targets {
		for _, f := range fieldsOf(v.Type()) {
			target := v.FieldByIndex(f.index)
			switch {
			case f.place:
				target.Set(reflect.ValueOf(d.at(n)))
			case f.rest:
				rest = target
			case f.connection != "":
				connection, connected = target, f.connection
				for i := range d.connections {
					if document(&d.connections[i], connected) != nil {
						order = append(order, d.connections[i].Name)
					}
				}
			default:
				f.value = target
				fields[f.key] = f
				order = append(order, f.key)
			}
		}
	}
	for k, value := range d.pairs(n) {
		f, known := fields[k.Value]
		switch {
		case known:
			f.seen = !isNull(value)
			fields[k.Value] = f
			d.decode(value, f.value, k.Value)
			if slices.Contains(naming, k.Value) && f.value.Kind() == reflect.String {
				d.name(value, k.Value)
			}
		case rest.IsValid():
			d.rest(k, value, rest)
		case connection.IsValid() && d.connection(k, value, connected, connection.Addr().Interface().(*directory.Connection)):
		default:
			d.fail(k, "unknown key %q%s", k.Value, nearKey(k.Value, order, fields))
		}
	}
	for _, k := range order {
		if f := fields[k]; f.required && !f.seen {
			d.fail(n, "%s needs the key %s", key, k)
		}
	}
}

// rest hands a key that is no field to the attributes of the record.
func (d *decoder) rest(k, value *yaml.Node, into reflect.Value) {
	plain, ok := d.plain(value)
	if !ok {
		return
	}
	if err := into.Addr().Interface().(interface{ Set(string, any) error }).Set(k.Value, plain); err != nil {
		d.fail(value, "%v", err)
	}
}

// connection fills a connection from a key that names its kind, and says whether it does.
func (d *decoder) connection(k, n *yaml.Node, of string, into *directory.Connection) bool {
	i := slices.IndexFunc(d.connections, func(c directory.ConnectionKind) bool { return c.Name == k.Value })
	if i < 0 {
		return false
	}
	made := document(&d.connections[i], of)
	switch {
	case made == nil:
		return false
	case isNull(n):
		return true
	case into.Document != nil:
		d.fail(k, "this names two connections, %s and %s: give one of them", into.Name, k.Value)
		return true
	}
	*into = directory.Connection{Name: k.Value, Live: d.connections[i].Live, Document: made}
	d.decode(n, reflect.ValueOf(into.Document).Elem(), k.Value)
	return true
}

package mapfile

import (
	"reflect"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// nearKey says which key may be meant by an unknown one: the one that had that name
// before, else those that look like it, else any.
func nearKey(written string, order []string, fields map[string]field) string {
	near := name.Near(written, slices.Values(order))
	if i := slices.IndexFunc(order, func(k string) bool { return fields[k].former == written }); i >= 0 {
		near = order[i : i+1]
	}
	if near == nil {
		return "; the keys here are " + strings.Join(order, ", ")
	}
	return name.DidYouMean(near)
}

// field is a key that a struct takes.
type field struct {
	key      string
	former   string // the name that the key had
	doc      string
	index    []int
	typ      reflect.Type
	required bool
	rest     bool // takes all other keys
	place    bool // learns where the struct stands
	value    reflect.Value
	seen     bool

	connection string // takes the keys of connections: of sources, of links, or of receivers
}

// The options of fields that take the keys of connections.
const (
	source = "connection"
	link   = "link"
	notify = "notify"
)

// document makes an empty document of a connection for such a field; nil: it is of no use there.
func document(c *directory.ConnectionKind, option string) any {
	make := map[string]func() any{source: c.New, link: c.Link, notify: c.Notify}[option]
	if make == nil {
		return nil
	}
	return make()
}

// fieldsOf lists the keys of a struct, those of inlined structs included.
func fieldsOf(t reflect.Type) []field {
	var all []field
	for i := range t.NumField() {
		sf := t.Field(i)
		if sf.Type == placeType {
			all = append(all, field{index: sf.Index, place: true})
			continue
		}
		tag, tagged := sf.Tag.Lookup("yaml")
		if !tagged || tag == "-" {
			continue
		}
		key, option, _ := strings.Cut(tag, ",")
		connection := ""
		if option == source || option == link || option == notify {
			connection = option
		}
		if option == "inline" {
			for _, inner := range fieldsOf(sf.Type) {
				inner.index = append(slices.Clone(sf.Index), inner.index...)
				all = append(all, inner)
			}
			continue
		}
		all = append(all, field{
			key: key, former: sf.Tag.Get("former"), doc: sf.Tag.Get("doc"), index: sf.Index, typ: sf.Type,
			required: option == "required", rest: option == "rest", connection: connection,
		})
	}
	return all
}

// keyed says whether a type is a struct with keys of its own.
func keyed(t reflect.Type) bool {
	return t.Kind() == reflect.Struct && slices.ContainsFunc(fieldsOf(t), func(f field) bool { return f.key != "" })
}

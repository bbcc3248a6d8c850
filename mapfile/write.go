package mapfile

import (
	"bytes"
	"encoding"
	"fmt"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"gatemap/core/directory"
	"gatemap/core/gate"
)

// Write writes the document of a system, as Read reads it: without places, comments and what is
// as it would be if it were not said.
func Write(s *gate.System) ([]byte, error) {
	return write(reflect.ValueOf(s).Elem(), reflect.ValueOf(s.Gate).Elem())
}

// WriteDirectory is Write for the document of a directory whose records have no attributes of
// their own.
func WriteDirectory(d *directory.Document) ([]byte, error) { return write(reflect.ValueOf(d).Elem()) }

func write(parts ...reflect.Value) ([]byte, error) {
	root := &yaml.Node{Kind: yaml.MappingNode}
	for _, part := range parts {
		if err := writeKeys(root, part); err != nil {
			return nil, err
		}
	}
	var b bytes.Buffer
	e := yaml.NewEncoder(&b)
	e.SetIndent(2)
	if err := e.Encode(root); err != nil {
		return nil, err
	}
	return b.Bytes(), e.Close()
}

// writeKeys adds the keys of a struct to a mapping.
func writeKeys(into *yaml.Node, v reflect.Value) error {
	for _, f := range fieldsOf(v.Type()) {
		field := v.FieldByIndex(f.index)
		switch {
		case f.place:
			continue
		case f.rest && field.Kind() == reflect.Slice && field.Len() == 0:
			continue
		case f.rest && field.Kind() == reflect.Map:
			more, err := writeTable(field)
			if err != nil {
				return err
			}
			into.Content = append(into.Content, more.Content...)
			continue
		case f.rest:
			return fmt.Errorf("%s cannot be written", v.Type())
		case f.connection != "":
			c := field.Interface().(directory.Connection)
			if c.Document == nil {
				continue
			}
			f.key, field = c.Name, reflect.ValueOf(c.Document)
		case field.IsZero() && !f.required:
			continue
		}
		n, err := written(field)
		if err != nil {
			return fmt.Errorf("%s: %w", f.key, err)
		}
		if n != nil || f.required {
			if n == nil {
				n = &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle}
			}
			into.Content = append(into.Content, textNode(f.key), n)
		}
	}
	return nil
}

var textWriter = reflect.TypeFor[encoding.TextMarshaler]()

// written is a value as a node; nil where it says nothing.
func written(v reflect.Value) (*yaml.Node, error) {
	t := v.Type()
	switch {
	case t.Kind() == reflect.Pointer || t.Kind() == reflect.Interface:
		if v.IsNil() {
			return nil, nil
		}
		return written(v.Elem())
	case t.Implements(textWriter):
		text, err := v.Interface().(encoding.TextMarshaler).MarshalText()
		if len(text) > 0 || !keyed(t) {
			return textNode(string(text)), err
		}
	case reflect.PointerTo(t).Implements(textType) && !keyed(t):
		return nil, fmt.Errorf("%s cannot be written", t)
	}
	switch t.Kind() {
	case reflect.Struct:
		n := &yaml.Node{Kind: yaml.MappingNode}
		return n, writeKeys(n, v)
	case reflect.Slice:
		return writeList(v)
	case reflect.Map:
		return writeTable(v)
	case reflect.Bool:
		return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!bool", Value: strconv.FormatBool(v.Bool())}, nil
	case reflect.Int:
		return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!int", Value: strconv.FormatInt(v.Int(), 10)}, nil
	case reflect.String:
		return textNode(v.String()), nil
	}
	return nil, fmt.Errorf("%s cannot be written", t)
}

// writeList is a list; one of plain values, and each line of one, takes a line of its own.
func writeList(v reflect.Value) (*yaml.Node, error) {
	n := &yaml.Node{Kind: yaml.SequenceNode}
	plain := true
	for i := range v.Len() {
		item, err := written(v.Index(i))
		if err != nil {
			return nil, err
		}
		plain = plain && item.Kind == yaml.ScalarNode
		if item.Kind == yaml.MappingNode {
			item.Style = yaml.FlowStyle
		}
		n.Content = append(n.Content, item)
	}
	if plain {
		n.Style = yaml.FlowStyle
	}
	return n, nil
}

func writeTable(v reflect.Value) (*yaml.Node, error) {
	n := &yaml.Node{Kind: yaml.MappingNode}
	keys := v.MapKeys()
	slices.SortFunc(keys, func(a, b reflect.Value) int { return strings.Compare(a.String(), b.String()) })
	for _, key := range keys {
		item, err := written(v.MapIndex(key))
		if err != nil {
			return nil, err
		}
		if item == nil {
			item = &yaml.Node{Kind: yaml.MappingNode, Style: yaml.FlowStyle}
		}
		if item.Kind == yaml.MappingNode && v.Type().Elem().Kind() != reflect.Map {
			item.Style = yaml.FlowStyle
		}
		n.Content = append(n.Content, textNode(key.String()), item)
	}
	return n, nil
}

// textNode is text, in quotes where it would be read as something else.
func textNode(s string) *yaml.Node {
	n := &yaml.Node{}
	n.SetString(s)
	return n
}

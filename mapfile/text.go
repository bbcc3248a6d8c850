package mapfile

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"gatemap/core/place"
)

// Text is a file of a folder that can be edited: what an edit does not touch,
// comments and blanks included, stays byte for byte. A Text is not changed; an
// edit makes another.
type Text struct {
	File  File
	roots []*yaml.Node // of the documents that are not empty
}

// OpenText reads a file for editing. The error is a *place.Error.
func OpenText(f File) (*Text, error) {
	t := &Text{File: f}
	in := yaml.NewDecoder(bytes.NewReader(f.Content))
	for {
		var doc yaml.Node
		switch err := in.Decode(&doc); {
		case errors.Is(err, io.EOF):
			return t, nil
		case err != nil:
			return nil, place.Errorf(place.Place{File: f.Path}, "not YAML: %v", err)
		}
		if root := doc.Content[0]; root.Kind == yaml.MappingNode {
			t.roots = append(t.roots, root)
		}
	}
}

// headKeys are the keys that say what a document is, and Map stands for the
// document that has none of them.
var headKeys = []string{"system", "directory", "table", "guarantees"}

// Map is the kind of the document that says what the map is of.
const Map = "map"

// Document finds a document: by the key that says what it is, or Map, and by its
// name, regardless of case. Those that have no name are found by their kind.
func (t *Text) Document(kind, named string) (Spot, bool) {
	for i, root := range t.roots {
		is, name := documentName(root)
		if is == kind && strings.EqualFold(name, named) {
			return Spot{i}, true
		}
	}
	return nil, false
}

func documentName(root *yaml.Node) (kind, named string) {
	for _, key := range headKeys {
		if v := value(root, key); v != nil {
			if v.Kind == yaml.ScalarNode {
				named = v.Value
			}
			return key, named
		}
	}
	return Map, ""
}

// Spot is the way to something in a file: the number of the document, then at
// each level the number of the item in a list, or of the key in a set of keys.
type Spot []int

// node is what stands at a spot.
func (t *Text) node(s Spot) *yaml.Node {
	n := t.roots[s[0]]
	for _, i := range s[1:] {
		n = child(n, i)
	}
	return n
}

func child(n *yaml.Node, i int) *yaml.Node {
	if n.Kind == yaml.MappingNode {
		return n.Content[2*i+1]
	}
	return n.Content[i]
}

// size is how many items or keys a node has.
func size(n *yaml.Node) int {
	switch n.Kind {
	case yaml.MappingNode:
		return len(n.Content) / 2
	case yaml.SequenceNode:
		return len(n.Content)
	}
	return 0
}

// Key finds a key of the set of keys at a spot.
func (t *Text) Key(at Spot, key string) (Spot, bool) {
	n := t.node(at)
	if n.Kind != yaml.MappingNode {
		return nil, false
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return at.At(i / 2), true
		}
	}
	return nil, false
}

// Flow writes what stands at a spot on one line.
func (t *Text) Flow(at Spot) string { return flow(t.node(at)) }

// Value is what an edit writes.
type Value struct{ node *yaml.Node }

// ParseValue reads a value from YAML, of which JSON is a part.
func ParseValue(text string) (Value, error) {
	var doc yaml.Node
	if err := yaml.Unmarshal([]byte(text), &doc); err != nil {
		return Value{}, fmt.Errorf("%q is not a value: %s", text, strings.TrimPrefix(err.Error(), "yaml: "))
	}
	if len(doc.Content) == 0 {
		return Value{}, errors.New("the value is empty")
	}
	return Value{doc.Content[0]}, nil
}

// TextValue is a piece of text as a value.
func TextValue(text string) Value {
	n := &yaml.Node{}
	n.SetString(text)
	return Value{n}
}

// KeyValue is a set of one key as a value.
func KeyValue(key string, v Value) Value {
	return Value{&yaml.Node{Kind: yaml.MappingNode, Tag: "!!map", Content: []*yaml.Node{TextValue(key).node, v.node}}}
}

// ListValue is a list of values.
func ListValue(items ...Value) Value {
	n := &yaml.Node{Kind: yaml.SequenceNode, Tag: "!!seq"}
	for _, v := range items {
		n.Content = append(n.Content, v.node)
	}
	return Value{n}
}

// String writes the value on one line.
func (v Value) String() string { return flow(v.node) }

// flow writes a node on one line, so that it can stand anywhere.
func flow(n *yaml.Node) string {
	list := &yaml.Node{Kind: yaml.SequenceNode, Style: yaml.FlowStyle, Content: []*yaml.Node{plainly(n)}}
	raw, err := yaml.Marshal(list)
	if err != nil {
		panic(err) // a node that was read or made here can be written
	}
	return strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(string(raw)), "["), "]")
}

// plainly copies a node without comments and styles. Words that YAML 1.1 takes for
// true and false are quoted, so that other tools read the file alike.
func plainly(n *yaml.Node) *yaml.Node {
	c := &yaml.Node{Kind: n.Kind, Tag: n.Tag, Value: n.Value}
	switch strings.ToLower(n.Value) {
	case "y", "n", "yes", "no", "on", "off":
		c.Style = yaml.DoubleQuotedStyle
	}
	for _, x := range n.Content {
		c.Content = append(c.Content, plainly(x))
	}
	return c
}

// equal says that two nodes say the same, in whatever style.
func equal(a, b *yaml.Node) bool {
	if a.Kind != b.Kind || a.ShortTag() != b.ShortTag() || a.Value != b.Value || len(a.Content) != len(b.Content) {
		return false
	}
	for i := range a.Content {
		if !equal(a.Content[i], b.Content[i]) {
			return false
		}
	}
	return true
}

// At is a step further.
func (s Spot) At(i int) Spot { return append(slices.Clone(s), i) }

// IsList says whether a list stands at a spot.
func (t *Text) IsList(at Spot) bool { return t.node(at).Kind == yaml.SequenceNode }

// Size is how many items or keys stand at a spot.
func (t *Text) Size(at Spot) int { return size(t.node(at)) }

// Keys lists the keys at a spot; nil where no set of keys stands there.
func (t *Text) Keys(at Spot) []string {
	n := t.node(at)
	if n.Kind != yaml.MappingNode {
		return nil
	}
	keys := []string{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		keys = append(keys, n.Content[i].Value)
	}
	return keys
}

// Name is the name of an item: what its key name says, or it itself.
func (t *Text) Name(at Spot) string {
	n := t.node(at)
	if named := value(n, "name"); n.Kind == yaml.MappingNode && named != nil {
		n = named
	}
	if n.Kind != yaml.ScalarNode {
		return ""
	}
	return n.Value
}

// Has says whether one of the keys of an item has a text as its value.
func (t *Text) Has(at Spot, text string) bool {
	n := t.node(at)
	for i := 0; n.Kind == yaml.MappingNode && i+1 < len(n.Content); i += 2 {
		if v := n.Content[i+1]; v.Kind == yaml.ScalarNode && v.Value == text {
			return true
		}
	}
	return false
}

// Named visits the names that stand in lists under some key, wherever, with the
// document in which they stand.
func (t *Text) Named(key string, visit func(kind, document string, at Spot, named string)) {
	var walk func(n *yaml.Node, at Spot, under string, kind, document string)
	walk = func(n *yaml.Node, at Spot, under string, kind, document string) {
		switch {
		case n.Kind == yaml.ScalarNode && under == key:
			visit(kind, document, at, n.Value)
		case n.Kind == yaml.SequenceNode:
			for i, x := range n.Content {
				walk(x, at.At(i), under, kind, document)
			}
		case n.Kind == yaml.MappingNode:
			for i := 0; i+1 < len(n.Content); i += 2 {
				walk(n.Content[i+1], at.At(i/2), n.Content[i].Value, kind, document)
			}
		}
	}
	for i, root := range t.roots {
		kind, document := documentName(root)
		walk(root, Spot{i}, "", kind, document)
	}
}

// With is a set of keys with those of another.
func (v Value) With(more Value) (Value, error) {
	if more.node.Kind != yaml.MappingNode {
		return v, fmt.Errorf("the value is a set of keys, not %s", describe(more.node))
	}
	n := *v.node
	n.Content = append(slices.Clone(n.Content), more.node.Content...)
	return Value{&n}, nil
}

// JSON reads a value from YAML and gives it as JSON, with its keys in their order.
func JSON(text string) ([]byte, error) {
	v, err := ParseValue(text)
	if err != nil {
		return nil, err
	}
	var errs place.Errors
	out := (&decoder{errs: &errs}).json(nil, v.node)
	return out, errs.Err()
}

func (d *decoder) json(out []byte, n *yaml.Node) []byte {
	switch n.Kind {
	case yaml.SequenceNode:
		out = append(out, '[')
		for i, item := range n.Content {
			if i > 0 {
				out = append(out, ',')
			}
			out = d.json(out, item)
		}
		return append(out, ']')
	case yaml.MappingNode:
		out = append(out, '{')
		first := true
		for k, item := range d.pairs(n) {
			if !first {
				out = append(out, ',')
			}
			first = false
			out = d.json(append(d.json(out, TextValue(k.Value).node), ':'), item)
		}
		return append(out, '}')
	}
	value, _ := d.plain(n) // what is wrong is among the errors
	raw, err := json.Marshal(value)
	if err != nil {
		panic(err) // plain values can be written
	}
	return append(out, raw...)
}

// Entry finds the entry of a list that begins at a place, from 1: the document, the
// keys and numbers that lead to the list, and the number of the entry.
func (t *Text) Entry(line, column int32) (document string, list []string, number int, ok bool) {
	var walk func(n *yaml.Node, path []string) bool
	walk = func(n *yaml.Node, path []string) bool {
		for i := range size(n) {
			c := child(n, i)
			step := strconv.Itoa(i + 1)
			if n.Kind == yaml.MappingNode {
				step = n.Content[2*i].Value
			} else if int32(c.Line) == line && int32(c.Column) == column {
				list, number = path, i+1
				return true
			}
			if walk(c, append(path[:len(path):len(path)], step)) {
				return true
			}
		}
		return false
	}
	for _, root := range t.roots {
		if walk(root, nil) {
			_, document = documentName(root)
			return document, list, number, true
		}
	}
	return "", nil, 0, false
}

package mapfile

import (
	"bytes"
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"gatemap/core/name"
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
		is, its := documentName(root)
		if is == kind && name.Equal(its, named) {
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

// Keys lists the keys at a spot; nil if no set of keys stands there.
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
func (t *Text) Has(at Spot, text string) bool { return has(t.node(at), text) }

func has(n *yaml.Node, text string) bool {
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

// Entry is an entry of a list.
type Entry struct {
	Document string   // the name of the document
	List     []string // the keys, and the names or numbers of items, that lead to the list
	Number   int      // of the entry in the list, from 1
	At       Spot
	Line     int32 // where it begins, from 1
	Column   int32
}

// Entries yields every entry of every list, in the order in which they are written.
func (t *Text) Entries(yield func(Entry) bool) {
	var walk func(n *yaml.Node, document string, at Spot, path []string) bool
	walk = func(n *yaml.Node, document string, at Spot, path []string) bool {
		for i := range size(n) {
			c, spot := child(n, i), at.At(i)
			step := ""
			if n.Kind == yaml.MappingNode {
				step = n.Content[2*i].Value
			} else if step = label(n, i); !yield(Entry{document, path, i + 1, spot, int32(c.Line), int32(c.Column)}) {
				return false
			}
			if !walk(c, document, spot, append(path[:len(path):len(path)], step)) {
				return false
			}
		}
		return true
	}
	for i, root := range t.roots {
		_, document := documentName(root)
		if !walk(root, document, Spot{i}, nil) {
			return
		}
	}
}

// label is how a path names an item of a list: by the value of its first key where that
// tells it from the others, else by its number from 1.
func label(list *yaml.Node, i int) string {
	number := strconv.Itoa(i + 1)
	item := list.Content[i]
	if item.Kind != yaml.MappingNode || len(item.Content) == 0 || item.Content[1].Kind != yaml.ScalarNode {
		return number
	}
	text := item.Content[1].Value
	if _, err := strconv.Atoi(text); err == nil || text == "" || strings.Contains(text, ">") ||
		strings.TrimSpace(text) != text {
		return number
	}
	for j, other := range list.Content {
		if j != i && has(other, text) {
			return number
		}
	}
	return text
}

// Entry finds the entry of a list that begins at a place, from 1.
func (t *Text) Entry(line, column int32) (Entry, bool) {
	for e := range t.Entries {
		if e.Line == line && e.Column == column {
			return e, true
		}
	}
	return Entry{}, false
}

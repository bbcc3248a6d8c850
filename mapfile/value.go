package mapfile

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"gatemap/core/place"
)

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

// With is a set of keys with those of another.
func (v Value) With(more Value) (Value, error) {
	if more.node.Kind != yaml.MappingNode {
		return v, fmt.Errorf("the value is a set of keys, not %s", describe(more.node))
	}
	n := *v.node
	n.Content = append(slices.Clone(n.Content), more.node.Content...)
	return Value{&n}, nil
}

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

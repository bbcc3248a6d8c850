package mapfile

import (
	"encoding/json"

	"go.yaml.in/yaml/v3"
)

// plain turns a node into plain values: text, bool, json.Number, lists and
// maps. ok is false if something in it was reported as wrong.
func (d *decoder) plain(n *yaml.Node) (value any, ok bool) {
	switch n.Kind {
	case yaml.ScalarNode:
		return d.plainScalar(n)
	case yaml.SequenceNode:
		list := make([]any, 0, len(n.Content))
		for _, item := range n.Content {
			v, ok := d.plain(item)
			if !ok {
				return nil, false
			}
			list = append(list, v)
		}
		return list, true
	case yaml.MappingNode:
		table := map[string]any{}
		for k, item := range d.pairs(n) {
			v, ok := d.plain(item)
			if !ok {
				return nil, false
			}
			table[k.Value] = v
		}
		return table, true
	}
	d.fail(n, "anchors and aliases are not used in a map folder: write the value out")
	return nil, false
}

func (d *decoder) plainScalar(n *yaml.Node) (any, bool) {
	switch n.Tag {
	case "!!null":
		return nil, true
	case "!!bool":
		if n.Value == "true" || n.Value == "false" {
			return n.Value == "true", true
		}
	case "!!int", "!!float":
		// Numbers that JSON does not know, such as 0x10 and .inf, are text.
		var number json.Number
		if json.Unmarshal([]byte(n.Value), &number) == nil {
			return number, true
		}
	}
	return n.Value, true
}

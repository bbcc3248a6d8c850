package mapfile

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"

	"go.yaml.in/yaml/v3"
)

// Insert puts a value before the item of a list, or the key of a set of keys, that
// has the number i; key is "" for a list.
func (t *Text) Insert(into Spot, i int, key string, v Value) (*Text, error) {
	return t.edited(into, func(n *yaml.Node) {
		if n.Kind == yaml.ScalarNode { // an empty value becomes what is put into it
			*n = yaml.Node{Kind: yaml.MappingNode, Tag: "!!map"}
			if key == "" {
				n.Kind, n.Tag = yaml.SequenceNode, "!!seq"
			}
		}
		if n.Kind == yaml.MappingNode {
			n.Content = slices.Insert(n.Content, 2*i, TextValue(key).node, v.node)
		} else {
			n.Content = slices.Insert(n.Content, i, v.node)
		}
	}, func(s *splicer, n *yaml.Node) bool { return s.insert(n, i, key, v) })
}

// Remove takes an item of a list, or a key, away.
func (t *Text) Remove(at Spot) (*Text, error) {
	in, i := at[:len(at)-1], at[len(at)-1]
	return t.edited(in, func(n *yaml.Node) {
		if n.Kind == yaml.MappingNode {
			n.Content = slices.Delete(n.Content, 2*i, 2*i+2)
		} else {
			n.Content = slices.Delete(n.Content, i, i+1)
		}
	}, func(s *splicer, n *yaml.Node) bool { return s.remove(n, i) })
}

// Move puts an item of a list before the one that had the number to.
func (t *Text) Move(at Spot, to int) (*Text, error) {
	in, from := at[:len(at)-1], at[len(at)-1]
	return t.edited(in, func(n *yaml.Node) {
		item := n.Content[from]
		n.Content = slices.Insert(n.Content, to, item)
		if to < from {
			from++
		}
		n.Content = slices.Delete(n.Content, from, from+1)
	}, func(s *splicer, n *yaml.Node) bool { return s.move(n, at[len(at)-1], to) })
}

// Replace puts a value in the place of another. Of a set of keys that stays one,
// only the keys that differ are written.
func (t *Text) Replace(at Spot, v Value) (*Text, error) {
	old := t.node(at)
	if equal(old, v.node) {
		return t, nil
	}
	if old.Kind == yaml.MappingNode && v.node.Kind == yaml.MappingNode && len(v.node.Content) > 0 {
		return t.reconcile(at, v)
	}
	return t.edited(at, func(n *yaml.Node) { *n = *v.node },
		func(s *splicer, n *yaml.Node) bool { return s.replace(n, v) })
}

// reconcile makes a set of keys like another.
func (t *Text) reconcile(at Spot, v Value) (*Text, error) {
	var err error
	old := t.node(at)
	for i := size(old) - 1; i >= 0; i-- {
		if value(v.node, old.Content[2*i].Value) == nil {
			if t, err = t.Remove(at.At(i)); err != nil {
				return nil, err
			}
		}
	}
	for i := 0; i < len(v.node.Content); i += 2 {
		key, item := v.node.Content[i].Value, Value{v.node.Content[i+1]}
		if spot, ok := t.Key(at, key); ok {
			t, err = t.Replace(spot, item)
		} else {
			t, err = t.Insert(at, size(t.node(at)), key, item)
		}
		if err != nil {
			return nil, err
		}
	}
	return t, nil
}

// edited makes the text that an edit at a spot leads to: by splice, which knows
// the text, or, where what comes of that is not what change makes of the document,
// by writing the document again, with its comments.
func (t *Text) edited(at Spot, change func(*yaml.Node), splice func(*splicer, *yaml.Node) bool) (*Text, error) {
	root := deepCopy(t.roots[at[0]])
	n := root
	for _, i := range at[1:] {
		n = child(n, i)
	}
	change(n)
	s := newSplicer(t.File.Content, t.parent(at))
	if !oddLines.Match(t.File.Content) && splice(s, t.node(at)) {
		if next, err := OpenText(File{t.File.Path, s.out}); err == nil && t.onlyDiffers(next, at[0], root) {
			return next, nil
		}
	}
	return t.rewritten(at[0], root)
}

// oddLines are marks and breaks of lines that YAML knows besides the usual ones: places
// in such a text are not sure.
var oddLines = regexp.MustCompile("^\ufeff|\r[^\n]|\r$|[\u0085\u2028\u2029]")

// parent is the key with what stands at a spot, where that is the value of one.
func (t *Text) parent(at Spot) *yaml.Node {
	if len(at) == 1 {
		return nil
	}
	over := t.node(at[:len(at)-1])
	if over.Kind != yaml.MappingNode {
		return nil
	}
	return over.Content[2*at[len(at)-1]]
}

// onlyDiffers says that another text has all documents of this one, but a root in
// the place of one.
func (t *Text) onlyDiffers(next *Text, doc int, root *yaml.Node) bool {
	if len(next.roots) != len(t.roots) {
		return false
	}
	for i, r := range next.roots {
		want := t.roots[i]
		if i == doc {
			want = root
		}
		if !equal(r, want) {
			return false
		}
	}
	return true
}

// rewritten writes one document again.
func (t *Text) rewritten(doc int, root *yaml.Node) (*Text, error) {
	var out bytes.Buffer
	for i, r := range t.roots {
		if i == doc {
			r = root
		}
		if i > 0 {
			out.WriteString("---\n")
		}
		e := yaml.NewEncoder(&out)
		e.SetIndent(2)
		if err := e.Encode(r); err != nil {
			return nil, fmt.Errorf("%s: %w", t.File.Path, err)
		}
	}
	next, err := OpenText(File{t.File.Path, out.Bytes()})
	if err == nil && !t.onlyDiffers(next, doc, root) {
		err = fmt.Errorf("%s: what was written does not read back", t.File.Path)
	}
	return next, err
}

func deepCopy(n *yaml.Node) *yaml.Node {
	c := *n
	c.Content = make([]*yaml.Node, len(n.Content))
	for i, x := range n.Content {
		c.Content[i] = deepCopy(x)
	}
	return &c
}

package filter

import "strings"

type or struct{ left, right node }

func (n or) match(r Record) bool { return n.left.match(r) || n.right.match(r) }

func (n or) print(b *strings.Builder, outer int) {
	printPair(b, n.left, " or ", n.right, 0, outer)
}

func (n or) attributes(p string, y func(Attribute) bool) bool {
	return n.left.attributes(p, y) && n.right.attributes(p, y)
}

func (n or) start() (Start, bool) { return Start{}, false }

func (n or) reads(y func(string) bool) bool { return n.left.reads(y) && n.right.reads(y) }

type and struct{ left, right node }

func (n and) match(r Record) bool { return n.left.match(r) && n.right.match(r) }

func (n and) print(b *strings.Builder, outer int) {
	printPair(b, n.left, " and ", n.right, 1, outer)
}

func (n and) attributes(p string, y func(Attribute) bool) bool {
	return n.left.attributes(p, y) && n.right.attributes(p, y)
}

func (n and) start() (Start, bool) {
	start, ok := n.left.start()
	if right, too := n.right.start(); too && (!ok || right.narrower(start)) {
		start, ok = right, true
	}
	start.Alone = false
	return start, ok
}

func (n and) reads(y func(string) bool) bool { return n.left.reads(y) && n.right.reads(y) }

func printPair(b *strings.Builder, left node, word string, right node, binds, outer int) {
	if binds < outer {
		b.WriteByte('(')
		defer b.WriteByte(')')
	}
	left.print(b, binds)
	b.WriteString(word)
	right.print(b, binds+1) // a chain leans to the left
}

type not struct{ inner node }

func (n not) match(r Record) bool { return !n.inner.match(r) }

func (n not) print(b *strings.Builder, _ int) {
	b.WriteString("not (")
	n.inner.print(b, 0)
	b.WriteByte(')')
}

func (n not) attributes(p string, y func(Attribute) bool) bool { return n.inner.attributes(p, y) }

func (n not) start() (Start, bool) { return Start{}, false }

func (n not) reads(y func(string) bool) bool { return n.inner.reads(y) }

// valuePath holds where one and the same complex value satisfies the inner
// filter.
type valuePath struct {
	path  path
	inner node
}

func (n valuePath) match(r Record) bool {
	for _, v := range r.Values(n.path.attribute) {
		if v.has() && n.inner.match(element{v, r, n.path.attribute}) {
			return true
		}
	}
	return false
}

func (n valuePath) print(b *strings.Builder, _ int) {
	b.WriteString(n.path.written)
	b.WriteByte('[')
	n.inner.print(b, 0)
	b.WriteByte(']')
}

func (n valuePath) attributes(p string, y func(Attribute) bool) bool {
	return y(Attribute{Name: p + n.path.written, Column: n.path.column}) && n.inner.attributes(n.path.written+".", y)
}

func (n valuePath) start() (Start, bool) { return Start{}, false }

func (n valuePath) reads(y func(string) bool) bool { return y(n.path.attribute) }

// element is one value of a multi-valued attribute seen as a record of its
// sub-attributes; a simple value has the one sub-attribute "value".
type element struct {
	value  Value
	parent Record
	within string
}

func (e element) Values(attribute string) []Value {
	if e.value.Kind == Complex {
		return e.value.Sub[attribute]
	}
	if attribute == "VALUE" {
		return []Value{e.value}
	}
	return nil
}

func (e element) Exact(attribute string) bool { return e.parent.Exact(e.within + "." + attribute) }

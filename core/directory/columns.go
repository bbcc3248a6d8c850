package directory

import (
	"encoding/binary"
	"iter"
	"maps"
	"slices"
	"strings"

	"gatemap/core/filter"
	"gatemap/core/name"
	"gatemap/core/parallel"
)

// column is the values that all users have of one attribute, as numbers: equal
// numbers are equal values, spelling included.
type column struct {
	of       []uint32 // by user
	distinct []string // what the numbers stand for, as text writes it
	first    []UserID // by number: someone who has that
}

type columnKey string

// column gives the column of an attribute, by its folded name. It is computed
// once.
func (b *Book) column(attribute string) *column {
	return b.once(columnKey(attribute), func() any { return b.columns([]string{attribute})[0] }).(*column)
}

// prepare computes the columns of several attributes in one go.
func (b *Book) prepare(attributes []string) {
	for i, c := range b.columns(attributes) {
		b.once(columnKey(attributes[i]), func() any { return c })
	}
}

// columns reads the values of attributes: first in pieces, each with numbers of
// its own.
func (b *Book) columns(attributes []string) []*column {
	pieces := inPieces(b.users.written, func(users []uint32) []piece {
		some := make([]piece, len(attributes))
		numbers := make([]numbering, len(attributes))
		for a := range some {
			some[a].of = make([]uint32, len(users))
		}
		for i, u := range users {
			for a, attribute := range attributes {
				some[a].of[i] = numbers[a].number(text(b.Values(UserID(u), attribute)))
			}
		}
		for a := range some {
			some[a].users, some[a].distinct = users, numbers[a].distinct
		}
		return some
	})
	all := make([]*column, len(attributes))
	parallel.For(len(attributes), 1, func(from, to int) {
		for a := from; a < to; a++ {
			all[a] = b.joined(a, pieces)
		}
	})
	return all
}

// joined makes one column of what the pieces have at an index.
func (b *Book) joined(at int, pieces [][]piece) *column {
	c := &column{of: make([]uint32, b.Users())}
	var all numbering
	for _, some := range pieces {
		p := some[at]
		whole := make([]uint32, len(p.distinct))
		for i, t := range p.distinct {
			whole[i] = all.number(t)
		}
		for i, u := range p.users {
			n := whole[p.of[i]]
			if c.of[u] = n; int(n) == len(c.first) {
				c.first = append(c.first, UserID(u))
			}
		}
	}
	c.distinct = all.distinct
	return c
}

// piece is the values that some users have of one attribute.
type piece struct {
	users    []uint32
	of       []uint32 // beside users
	distinct []string
}

// numbering numbers texts in the order in which they first come.
type numbering struct {
	numbers  map[string]uint32
	distinct []string
	last     uint32 // as many texts are the same as the one before
}

func (n *numbering) number(t string) uint32 {
	if len(n.distinct) > 0 && n.distinct[n.last] == t {
		return n.last
	}
	number, known := n.numbers[t]
	if !known {
		if n.numbers == nil {
			n.numbers = map[string]uint32{}
		}
		number = uint32(len(n.distinct))
		n.numbers[t], n.distinct = number, append(n.distinct, t)
	}
	n.last = number
	return number
}

// inPieces works on stretches of a list at the same time, and gives what comes of
// each, in order.
func inPieces[T, R any](list []T, work func([]T) R) []R {
	const size = 8192
	all := make([]R, (len(list)+size-1)/size)
	parallel.For(len(all), 1, func(from, to int) {
		for i := from; i < to; i++ {
			all[i] = work(list[i*size : min((i+1)*size, len(list))])
		}
	})
	return all
}

// text writes values so that different ones are written differently: a single
// text as it is, anything else after a character that no text begins with.
func text(values []filter.Value) string {
	switch {
	case len(values) == 0:
		return ""
	case len(values) == 1 && values[0].Kind == filter.Text && values[0].Text != "" && values[0].Text[0] != 0:
		return values[0].Text
	}
	b := []byte{0}
	for _, v := range values {
		b = appendValue(b, v)
	}
	return string(b)
}

// appendValue writes a value so that different ones are written differently.
func appendValue(b []byte, v filter.Value) []byte {
	b = append(b, byte(v.Kind))
	b = binary.AppendUvarint(b, uint64(len(v.Text)))
	b = append(b, v.Text...)
	if v.Kind != filter.Complex {
		return b
	}
	b = binary.AppendUvarint(b, uint64(len(v.Sub)))
	for _, key := range slices.Sorted(maps.Keys(v.Sub)) {
		b = binary.AppendUvarint(b, uint64(len(key)))
		b = append(b, key...)
		b = binary.AppendUvarint(b, uint64(len(v.Sub[key])))
		for _, s := range v.Sub[key] {
			b = appendValue(b, s)
		}
	}
	return b
}

// own says whether nearly everyone has a value of their own of an attribute, as
// of a number that tells people apart. It looks at some.
func (b *Book) own(attribute string) bool {
	const some = 4096
	var n numbering
	step := max(1, b.Users()/some)
	asked := 0
	for u := 0; u < b.Users(); u += step {
		n.number(text(b.Values(UserID(u), attribute)))
		asked++
	}
	return len(n.distinct) > some/4 && len(n.distinct) > asked/8*7
}

// starting yields the kinds of users, by some attributes, that may have what a filter
// starts from: those too that have it otherwise than as a plain text.
func (b *Book) starting(k *Kinds, attributes []string, start filter.Start, ok bool) iter.Seq[int] {
	if !ok {
		return func(yield func(int) bool) {
			for kind := range k.Count() {
				if !yield(kind) {
					return
				}
			}
		}
	}
	type key struct{ attributes, start string }
	all := b.once(key{strings.Join(attributes, "\x00"), start.Attribute},
		func() any { return b.shelve(k, start.Attribute) }).(*starts)
	return func(yield func(int) bool) {
		for i := range fitting(all.texts, start, func(t string) string { return t }) {
			for _, kind := range all.kinds[i] {
				if !yield(kind) {
					return
				}
			}
		}
		for _, kind := range all.others {
			if !yield(kind) {
				return
			}
		}
	}
}

// starts are the kinds of users by their values of one attribute.
type starts struct {
	texts  []string // folded, in order
	kinds  [][]int  // beside texts
	others []int    // those with values that are not one plain text
}

func (b *Book) shelve(k *Kinds, attribute string) *starts {
	c, all := b.column(attribute), &starts{}
	of := map[string][]int{}
	for kind := range k.Count() {
		switch t := c.distinct[c.of[k.Users(kind)[0]]]; {
		case t == "":
		case t[0] == 0:
			all.others = append(all.others, kind)
		default:
			folded := name.Fold(t)
			of[folded] = append(of[folded], kind)
		}
	}
	all.texts = slices.Sorted(maps.Keys(of))
	for _, t := range all.texts {
		all.kinds = append(all.kinds, of[t])
	}
	return all
}

// likeness is a user as a filter sees it, by the columns of some attributes: those
// who are of one kind lie far apart, and the columns near together.
type likeness struct {
	book    *Book
	names   []string
	columns []*column
	user    UserID
	plain   [1]filter.Value
}

func (b *Book) likeness(attributes []string) *likeness {
	l := &likeness{book: b, names: attributes}
	for _, a := range attributes {
		l.columns = append(l.columns, b.column(a))
	}
	return l
}

func (l *likeness) Exact(attribute string) bool {
	return l.book.exact[l.book.users.home[l.user]][attribute]
}

// Values gives values that hold until the next call.
func (l *likeness) Values(attribute string) []filter.Value {
	for i, name := range l.names {
		if name != attribute {
			continue
		}
		switch t := l.columns[i].distinct[l.columns[i].of[l.user]]; {
		case t == "":
			return nil
		case t[0] != 0:
			l.plain[0].Text = t
			return l.plain[:]
		}
	}
	return l.book.Values(l.user, attribute)
}

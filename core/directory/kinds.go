package directory

import (
	"cmp"
	"encoding/binary"
	"iter"
	"maps"
	"slices"
	"strings"

	"gatemap/core/filter"
	"gatemap/core/name"
	"gatemap/core/parallel"
)

// Kinds sorts all users by the values of some attributes and by their
// directory: two users are of one kind where all of these are the same.
type Kinds struct {
	of    []uint32 // by user
	users lists[UserID]
}

// Count says how many kinds there are; they are numbered from 0.
func (k *Kinds) Count() int { return len(k.users.start) - 1 }

// Of gives the kind of a user.
func (k *Kinds) Of(u UserID) uint32 { return k.of[u] }

// Users lists the users of a kind, in order.
func (k *Kinds) Users(kind int) []UserID { return k.users.at(uint32(kind)) }

// Kinds sorts the users by the values of attributes, given by folded name.
func (b *Book) Kinds(attributes []string) *Kinds { return b.columns(attributes).kinds(attributes) }

// columns are the values that all users have of some attributes, as numbers:
// equal numbers are equal values, spelling included.
type columns struct {
	book    *Book
	values  map[string][]uint32
	texts   map[string][]string // written so that different values differ
	numbers map[string]int      // how many values there are
}

func (b *Book) columns(attributes []string) *columns {
	c := &columns{b, map[string][]uint32{}, map[string][]string{}, map[string]int{}}
	texts := make([][]string, len(attributes))
	for i, a := range attributes {
		texts[i] = make([]string, b.Users())
		c.texts[a], c.values[a] = texts[i], make([]uint32, b.Users())
	}
	parallel.For(b.Users(), 4096, func(from, to int) {
		for u := from; u < to; u++ {
			for i, a := range attributes {
				texts[i][u] = text(b.Values(UserID(u), a))
			}
		}
	})
	counts := make([]int, len(attributes))
	parallel.For(len(attributes), 1, func(from, to int) {
		for i := from; i < to; i++ {
			counts[i] = number(texts[i], c.values[attributes[i]])
		}
	})
	for i, a := range attributes {
		c.numbers[a] = counts[i]
	}
	return c
}

// number numbers texts in the order in which they first come.
func number(texts []string, into []uint32) int {
	numbers := map[string]uint32{}
	for i, t := range texts {
		n, ok := numbers[t]
		if !ok {
			n = uint32(len(numbers))
			numbers[t] = n
		}
		into[i] = n
	}
	return len(numbers)
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

// own says whether nearly everyone has a value of their own of one of the
// attributes, as of a number that tells people apart.
func (c *columns) own(attributes []string) bool {
	return slices.ContainsFunc(attributes, func(a string) bool { return c.numbers[a] > 1000 && c.numbers[a] > c.book.Users()/8 })
}

// kinds sorts the users by the values of some of the attributes.
func (c *columns) kinds(attributes []string) *Kinds {
	of := make([]uint32, c.book.Users())
	for u, home := range c.book.users.home {
		of[u] = uint32(home)
	}
	count := len(c.book.directories)
	for _, a := range attributes {
		of, count = paired(of, c.values[a])
	}
	l := lists[UserID]{start: make([]uint32, count+1), all: make([]UserID, len(of))}
	for _, kind := range of {
		l.start[kind+1]++
	}
	for i := range count {
		l.start[i+1] += l.start[i]
	}
	next := slices.Clone(l.start[:count])
	for u, kind := range of {
		l.all[next[kind]] = UserID(u)
		next[kind]++
	}
	return &Kinds{of, l}
}

// paired numbers the pairs of two columns, in the order in which they come.
func paired(a, b []uint32) (pairs []uint32, count int) {
	numbers := map[uint64]uint32{}
	pairs = make([]uint32, len(a))
	for i := range a {
		key := uint64(a[i])<<32 | uint64(b[i])
		n, ok := numbers[key]
		if !ok {
			n = uint32(len(numbers))
			numbers[key] = n
		}
		pairs[i] = n
	}
	return pairs, len(numbers)
}

// postings finds the users who have a value, for attributes of which nearly
// everyone has a value of their own.
type postings map[string][]posting

// posting is a value that a user has, folded.
type posting struct {
	text string
	user UserID
}

func (c *columns) postings() postings {
	p := postings{}
	for a, texts := range c.texts {
		if !c.own([]string{a}) {
			continue
		}
		list := make([]posting, 0, len(texts))
		plain := true
		for u, t := range texts {
			if plain = plain && (t == "" || t[0] != 0); t != "" {
				list = append(list, posting{name.Fold(t), UserID(u)})
			}
		}
		if plain {
			slices.SortFunc(list, func(a, b posting) int {
				return cmp.Or(strings.Compare(a.text, b.text), cmp.Compare(a.user, b.user))
			})
			p[a] = list
		}
	}
	return p
}

// candidates yields the users whom a filter may match.
func (p postings) candidates(b *Book, f *filter.Filter) iter.Seq[UserID] {
	start, ok := f.Start()
	list := p[start.Attribute]
	return func(yield func(UserID) bool) {
		if !ok || list == nil {
			for u := range UserID(b.Users()) {
				if !yield(u) {
					return
				}
			}
			return
		}
		from, _ := slices.BinarySearchFunc(list, start.Text, func(p posting, text string) int { return strings.Compare(p.text, text) })
		for _, p := range list[from:] {
			if start.Whole && p.text != start.Text || !strings.HasPrefix(p.text, start.Text) || !yield(p.user) {
				return
			}
		}
	}
}

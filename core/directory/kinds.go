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
// Columns and kinds are worked out once.
func (b *Book) Kinds(attributes []string, also ...*Column) *Kinds {
	if len(also) > 0 {
		k := b.Kinds(attributes)
		of, count := k.of, k.Count()
		for _, c := range also {
			of, count = paired(of, count, c.Of, c.Count)
		}
		return newKinds(of, count)
	}
	return b.Once(kindsKey(strings.Join(attributes, "\x00")), func() any {
		c := &columns{book: b, values: map[string][]uint32{}, distinct: map[string][]string{}}
		for _, a := range attributes {
			one := b.Once(columnKey(a), func() any {
				one := b.columns([]string{a})
				one.texts = nil
				return one
			}).(*columns)
			c.values[a], c.distinct[a] = one.values[a], one.distinct[a]
		}
		return c.kinds(attributes)
	}).(*Kinds)
}

type (
	kindsKey  string
	columnKey string
)

// Column is a number for each user, less than Count.
type Column struct {
	Of    []uint32
	Count int
}

// columns are the values that all users have of some attributes, as numbers:
// equal numbers are equal values, spelling included.
type columns struct {
	book   *Book
	values map[string][]uint32
	texts  map[string][]string // written so that different values differ
	// distinct are the texts that the numbers stand for.
	distinct map[string][]string
}

func (b *Book) columns(attributes []string) *columns {
	c := &columns{b, map[string][]uint32{}, map[string][]string{}, map[string][]string{}}
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
	distinct := make([][]string, len(attributes))
	parallel.For(len(attributes), 1, func(from, to int) {
		for i := from; i < to; i++ {
			distinct[i] = number(texts[i], c.values[attributes[i]])
		}
	})
	for i, a := range attributes {
		c.distinct[a] = distinct[i]
	}
	return c
}

// number numbers texts in the order in which they first come.
func number(texts []string, into []uint32) (distinct []string) {
	numbers := map[string]uint32{}
	for i, t := range texts {
		n, ok := numbers[t]
		if !ok {
			n = uint32(len(numbers))
			numbers[t] = n
			distinct = append(distinct, t)
		}
		into[i] = n
	}
	return distinct
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
	return slices.ContainsFunc(attributes, func(a string) bool {
		return len(c.distinct[a]) > 1000 && len(c.distinct[a]) > c.book.Users()/8
	})
}

// kinds sorts the users by the values of some of the attributes.
func (c *columns) kinds(attributes []string) *Kinds {
	of := make([]uint32, c.book.Users())
	for u, home := range c.book.users.home {
		of[u] = uint32(home)
	}
	count := len(c.book.directories)
	for _, a := range attributes {
		of, count = paired(of, count, c.values[a], len(c.distinct[a]))
	}
	return newKinds(of, count)
}

func newKinds(of []uint32, count int) *Kinds {
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
// There are na and nb numbers in the two.
func paired(a []uint32, na int, b []uint32, nb int) (pairs []uint32, count int) {
	pairs = make([]uint32, len(a))
	const small = 1 << 20
	if na*nb <= small {
		numbers := make([]uint32, na*nb) // one more than the number; 0: none yet
		for i := range a {
			n := &numbers[int(a[i])*nb+int(b[i])]
			if *n == 0 {
				count++
				*n = uint32(count)
			}
			pairs[i] = *n - 1
		}
		return pairs, count
	}
	numbers := map[uint64]uint32{}
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

// having says of users whether they have what a filter starts from; of those who
// may have it otherwise than as a plain text, it says yes.
func (c *columns) having(start filter.Start, ok bool) func(UserID) bool {
	if !ok {
		return func(UserID) bool { return true }
	}
	may := make([]bool, len(c.distinct[start.Attribute]))
	for n, t := range c.distinct[start.Attribute] {
		folded := name.Fold(t)
		may[n] = folded == start.Text || !start.Whole && strings.HasPrefix(folded, start.Text) || t != "" && t[0] == 0
	}
	values := c.values[start.Attribute]
	return func(u UserID) bool { return may[values[u]] }
}

// postings finds the users who have a value, for attributes of which nearly
// everyone has a value of their own.
type postings map[string]*[]posting

// posting is a value that a user has, folded.
type posting struct {
	text string
	user UserID
}

// postings lists the values of an attribute in order; nil where some are not
// plain texts.
func (c *columns) postings(attribute string) []posting {
	texts := c.texts[attribute]
	list := make([]posting, 0, len(texts))
	for u, t := range texts {
		if t == "" {
			continue
		}
		if t[0] == 0 {
			return nil
		}
		list = append(list, posting{name.Fold(t), UserID(u)})
	}
	slices.SortFunc(list, func(a, b posting) int {
		return cmp.Or(strings.Compare(a.text, b.text), cmp.Compare(a.user, b.user))
	})
	return list
}

// candidates yields the users whom a filter that starts from a value may match.
func (p postings) candidates(b *Book, start filter.Start, ok bool) iter.Seq[UserID] {
	return func(yield func(UserID) bool) {
		if !ok || p[start.Attribute] == nil || *p[start.Attribute] == nil {
			for u := range UserID(b.Users()) {
				if !yield(u) {
					return
				}
			}
			return
		}
		list := *p[start.Attribute]
		from, _ := slices.BinarySearchFunc(list, start.Text, func(p posting, text string) int { return strings.Compare(p.text, text) })
		for _, p := range list[from:] {
			if start.Whole && p.text != start.Text || !strings.HasPrefix(p.text, start.Text) || !yield(p.user) {
				return
			}
		}
	}
}

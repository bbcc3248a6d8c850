package directory

import (
	"slices"
	"strings"
)

// Kinds sorts all users by the values of some attributes and by their
// directory: two users are of one kind where all of these are the same.
type Kinds struct {
	users lists[UserID] // by kind
}

// Count says how many kinds there are; they are numbered from 0.
func (k *Kinds) Count() int { return len(k.users.start) - 1 }

// Users lists the users of a kind, in order.
func (k *Kinds) Users(kind int) []UserID { return k.users.at(uint32(kind)) }

// Kinds sorts the users by the values of attributes, given by folded name. It is
// computed once.
func (b *Book) Kinds(attributes []string) *Kinds {
	type key string
	return b.once(key(strings.Join(attributes, "\x00")), func() any { return b.Partitioned(attributes).Kinds() }).(*Kinds)
}

func newKinds(of []uint32, count int) *Kinds {
	l := lists[UserID]{start: make([]uint32, count+1), all: make([]UserID, len(of))}
	for _, kind := range of {
		if kind != none {
			l.start[kind+1]++
		}
	}
	for i := range count {
		l.start[i+1] += l.start[i]
	}
	next := slices.Clone(l.start[:count])
	for u, kind := range of {
		if kind != none {
			l.all[next[kind]] = UserID(u)
			next[kind]++
		}
	}
	return &Kinds{l}
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

package atlas

import (
	"math/bits"

	"gatemap/core/directory"
	"gatemap/core/gate"
)

// Alike sorts all users so that those who come together are answered alike, but
// for the paths, by one system of an atlas and by one of another atlas of the
// same users. The lists are not to be changed.
func Alike(a *Atlas, in *System, b *Atlas, other *System) [][]directory.UserID {
	la, lb := a.lookout(in, nil), b.lookout(other, nil)
	qa := &gate.Question{Book: a.Book, Subject: &directory.Subject{}}
	qb := &gate.Question{Book: b.Book, Subject: &directory.Subject{}}
	var sets [][]directory.UserID
	numbers := map[string]int{}
	var key []byte
	add := func(u directory.UserID) {
		n, known := numbers[string(key)]
		if !known {
			n = len(sets)
			numbers[string(key)] = n
			sets = append(sets, nil)
		}
		sets[n] = append(sets[n], u)
	}
	for w := range la.touched {
		for word := la.touched[w] | lb.touched[w]; word != 0; word &= word - 1 {
			u := directory.UserID(w*64 + bits.TrailingZeros64(word))
			qa.Turn(u)
			qb.Turn(u)
			key = lb.key(la.key(key[:0], qa), qb)
			add(u)
		}
	}
	for kind := range la.kinds.Count() {
		clear(numbers)
		for _, u := range la.kinds.Users(kind) {
			if la.touches(u) || lb.touches(u) {
				continue
			}
			if la.kinds == lb.kinds {
				key = key[:0]
			} else {
				k := lb.kinds.Of(u)
				key = append(key[:0], byte(k), byte(k>>8), byte(k>>16), byte(k>>24))
			}
			add(u)
		}
	}
	return sets
}

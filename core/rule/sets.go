package rule

import (
	"cmp"
	"iter"
	"math/bits"
	"slices"
)

// Held is a bit for each rule of an index: whether its principals have the subject, and it is
// not one that was dropped by what narrows the index.
type Held []uint64

// Has says whether the rule of that number is for the subject.
func (h Held) Has(number uint32) bool { return has(h, number) }

// Put sets the bit of a number, and Drop clears it.
func (h Held) Put(number uint32)  { put(h, number) }
func (h Held) Drop(number uint32) { h[number/64] &^= 1 << (number % 64) }

// Join sets the bits of a set.
func (h Held) Join(s LineSet) {
	for _, w := range s.words {
		h[w.at] |= w.bits
	}
}

// Narrow clears the bits of a set that others do not have.
func (h Held) Narrow(s LineSet, to Held) {
	for _, w := range s.words {
		h[w.at] &^= w.bits &^ to[w.at]
	}
}

// Meets says whether the subject is in any of some rules.
func (h Held) Meets(some LineSet) bool {
	for _, w := range some.words {
		if w.bits&h[w.at] != 0 {
			return true
		}
	}
	return false
}

// Among yields the numbers of those of some rules that are for the subject, in the order
// in which they were compiled.
func (h Held) Among(some LineSet) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for _, w := range some.words {
			for both := w.bits & h[w.at]; both != 0; both &= both - 1 {
				if !yield(w.at*64 + uint32(bits.TrailingZeros64(both))) {
					return
				}
			}
		}
	}
}

// All yields the numbers of the bits that are set.
func (h Held) All() iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for at, word := range h {
			for ; word != 0; word &= word - 1 {
				if !yield(uint32(at*64 + bits.TrailingZeros64(word))) {
					return
				}
			}
		}
	}
}

// before counts the bits that are set before each word, for rank.
func (h Held) before(q *Question) []uint64 {
	before := q.Words(len(h))
	for at, word := range h[:len(h)-1] {
		before[at+1] = before[at] + uint64(bits.OnesCount64(word))
	}
	return before
}

// rank is how many bits are set before that of a number.
func (h Held) rank(before []uint64, number uint32) int {
	lower := h[number/64] & (1<<(number%64) - 1)
	return int(before[number/64]) + bits.OnesCount64(lower)
}

// Between yields the bits from one number to before another.
func (h Held) Between(from, to uint32) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for n := from; n < to; {
			word := h[n/64] >> (n % 64)
			if word == 0 {
				n = (n/64 + 1) * 64
				continue
			}
			n += uint32(bits.TrailingZeros64(word))
			if n < to && !yield(n) {
				return
			}
			n++
		}
	}
}

// LineSet is a set of rules of one index, by their numbers. The zero LineSet is empty.
type LineSet struct {
	words []word // those with a bit set, in order
}

// word is 64 bits of a set, of which the first is for the number 64·at.
type word struct {
	at   uint32
	bits uint64
}

// Lines is the set of some rules.
func Lines(rules ...*Rule) LineSet {
	var s LineSet
	for _, r := range rules {
		s.Add(r)
	}
	return s
}

// Empty says that there are none.
func (s LineSet) Empty() bool { return len(s.words) == 0 }

// Add notes a rule.
func (s *LineSet) Add(r *Rule) { s.put(r.number) }

func (s *LineSet) put(number uint32) {
	w := word{number / 64, 1 << (number % 64)}
	if n := len(s.words); n == 0 || s.words[n-1].at < w.at {
		s.words = append(s.words, w)
	} else if i, there := s.find(w.at); there {
		s.words[i].bits |= w.bits
	} else {
		s.words = slices.Concat(s.words[:i], []word{w}, s.words[i:])
	}
}

// find is the place of a word, or the one where it belongs.
func (s LineSet) find(at uint32) (i int, there bool) {
	return slices.BinarySearchFunc(s.words, at, func(w word, at uint32) int { return cmp.Compare(w.at, at) })
}

// Join notes the rules of another set.
func (s *LineSet) Join(other LineSet) {
	x, y := s.words, other.words
	all := make([]word, 0, len(x)+len(y))
	for len(x) > 0 && len(y) > 0 {
		switch {
		case x[0].at < y[0].at:
			all, x = append(all, x[0]), x[1:]
		case y[0].at < x[0].at:
			all, y = append(all, y[0]), y[1:]
		default:
			all = append(all, word{x[0].at, x[0].bits | y[0].bits})
			x, y = x[1:], y[1:]
		}
	}
	s.words = append(append(all, x...), y...)
}

// All yields the numbers in a set.
func (s LineSet) All() iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for _, w := range s.words {
			for b := w.bits; b != 0; b &= b - 1 {
				if !yield(w.at*64 + uint32(bits.TrailingZeros64(b))) {
					return
				}
			}
		}
	}
}

// first is the lowest number in a set that is not empty.
func (s LineSet) first() uint32 {
	return s.words[0].at*64 + uint32(bits.TrailingZeros64(s.words[0].bits))
}

// Includes says whether the rule of that number is in the set.
func (s LineSet) Includes(number uint32) bool {
	i, there := s.find(number / 64)
	return there && s.words[i].bits&(1<<(number%64)) != 0
}

// Same says whether two sets have the same rules.
func (s LineSet) Same(other LineSet) bool {
	return slices.Equal(s.words, other.words)
}

// Shares says whether two sets have a rule in common.
func (s LineSet) Shares(other LineSet) bool {
	for n := range s.All() {
		if other.Includes(n) {
			return true
		}
	}
	return false
}

package rule

import (
	"iter"
	"math/bits"
	"slices"
)

// Held is a bit for each rule of an index: whether its principals have the subject.
type Held []uint64

// Has says whether the rule of that number is for the subject.
func (h Held) Has(number uint32) bool { return has(h, number) }

// Put sets the bit of a number, and Drop clears it.
func (h Held) Put(number uint32)  { put(h, number) }
func (h Held) Drop(number uint32) { h[number/64] &^= 1 << (number % 64) }

// join sets the bits of a set.
func (h Held) join(s LineSet) {
	for w, word := range s.words {
		h[s.from+w] |= word
	}
}

// Meets says whether the subject is in any of some rules.
func (h Held) Meets(some LineSet) bool {
	for w, word := range some.words {
		if word&h[some.from+w] != 0 {
			return true
		}
	}
	return false
}

// Among yields the numbers of those of some rules that are for the subject, in the order
// in which they were compiled.
func (h Held) Among(some LineSet) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for w, word := range some.words {
			for both := word & h[some.from+w]; both != 0; both &= both - 1 {
				if !yield(uint32((some.from+w)*64 + bits.TrailingZeros64(both))) {
					return
				}
			}
		}
	}
}

// All yields the numbers of the bits that are set.
func (h Held) All() iter.Seq[uint32] { return numbers(h, 0) }

// numbers yields the numbers of bits, of which the first word has a number.
func numbers(words []uint64, first int) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for w, word := range words {
			for ; word != 0; word &= word - 1 {
				if !yield(uint32((first+w)*64 + bits.TrailingZeros64(word))) {
					return
				}
			}
		}
	}
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
	from  int // the number of the first word
	words []uint64
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
	w := int(number / 64)
	if len(s.words) == 0 {
		s.from = w
	}
	for ; w < s.from; s.from-- {
		s.words = append([]uint64{0}, s.words...)
	}
	for len(s.words) <= w-s.from {
		s.words = append(s.words, 0)
	}
	s.words[w-s.from] |= 1 << (number % 64)
}

// Join notes the rules of another set.
func (s *LineSet) Join(other LineSet) {
	for n := range other.All() {
		s.put(n)
	}
}

// All yields the numbers in a set.
func (s LineSet) All() iter.Seq[uint32] { return numbers(s.words, s.from) }

// first is the lowest number in a set that is not empty.
func (s LineSet) first() uint32 { return uint32(s.from*64 + bits.TrailingZeros64(s.words[0])) }

// Includes says whether the rule of that number is in the set.
func (s LineSet) Includes(number uint32) bool {
	w := int(number/64) - s.from
	return w >= 0 && w < len(s.words) && s.words[w]&(1<<(number%64)) != 0
}

// Same says whether two sets have the same rules.
func (s LineSet) Same(other LineSet) bool {
	return s.from == other.from && slices.Equal(s.words, other.words)
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

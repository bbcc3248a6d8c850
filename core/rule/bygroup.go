package rule

import (
	"iter"
	"maps"
	"math/bits"
	"slices"

	"gatemap/core/directory"
)

// ByGroup holds a value for some groups: a bit for each group that has one, how
// many such there are before each word of bits, and the values. Most groups that
// are asked for have none, which the sieve says: it is small enough to stay near,
// and has a bit for several groups. It is immutable.
type ByGroup[T any] struct {
	sieve  []uint64
	shift  uint
	bits   []uint64
	before []uint32
	values []T
}

// NewByGroup makes it for a book of so many groups.
func NewByGroup[T any](groups int, values map[directory.GroupID]T) ByGroup[T] {
	n := ByGroup[T]{bits: make([]uint64, groups/64+1), before: make([]uint32, groups/64+1)}
	n.shift = uint(32 - max(6, bits.Len(uint(8*len(values))), min(bits.Len(uint(32*len(values))), near)))
	n.sieve = make([]uint64, 1<<(32-n.shift)/64)
	for _, g := range slices.Sorted(maps.Keys(values)) {
		put(n.sieve, uint32(g)*spread>>n.shift)
		put(n.bits, uint32(g))
		n.values = append(n.values, values[g])
	}
	for w := range n.bits[1:] {
		n.before[w+1] = n.before[w] + uint32(bits.OnesCount64(n.bits[w]))
	}
	return n
}

// near is how large a sieve may be, as a power of two, to have 32 bits for each value
// rather than 8.
const near = 15

// spread is a factor that spreads numbers over all of their upper bits.
const spread = 0x9e3779b1

// Among yields the values of those of some groups that have one.
func (n *ByGroup[T]) Among(groups []directory.GroupID) iter.Seq[T] {
	return func(yield func(T) bool) {
		sieve, shift := n.sieve, n.shift
		if sieve == nil {
			return
		}
		for _, g := range groups {
			h := uint32(g) * spread >> shift
			if sieve[h/64]&(1<<(h%64)) == 0 {
				continue
			}
			if value, ok := n.At(g); ok && !yield(value) {
				return
			}
		}
	}
}

// At gives the value of a group; ok is false if it has none.
func (n *ByGroup[T]) At(g directory.GroupID) (value T, ok bool) {
	if int(g/64) >= len(n.bits) {
		return value, false // it came later
	}
	word, bit := n.bits[g/64], uint64(1)<<(g%64)
	if word&bit == 0 {
		return value, false
	}
	return n.values[n.before[g/64]+uint32(bits.OnesCount64(word&(bit-1)))], true
}

// All yields the groups that have a value, in order.
func (n *ByGroup[T]) All() iter.Seq2[directory.GroupID, T] {
	return func(yield func(directory.GroupID, T) bool) {
		next := 0
		for w, word := range n.bits {
			for ; word != 0; word &= word - 1 {
				if !yield(directory.GroupID(w*64+bits.TrailingZeros64(word)), n.values[next]) {
					return
				}
				next++
			}
		}
	}
}

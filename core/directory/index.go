package directory

import (
	"hash/maphash"
	"iter"
)

// index finds numbers by the hash of a text. It keeps no texts: who looks one up
// says whether a number that comes into question is the one meant.
type index struct {
	seed  maphash.Seed
	slots []uint64 // the upper half of the hash, and one more than the number
}

// newIndex makes an index with room for n numbers.
func newIndex(n int) index {
	size := 16
	for size < n*2 {
		size *= 2
	}
	return index{maphash.MakeSeed(), make([]uint64, size)}
}

// hash gives the hash of a text for put and at.
func (x *index) hash(text []byte) uint64 { return maphash.Bytes(x.seed, text) }

func (x *index) put(hash uint64, n uint32) {
	for i := hash; ; i++ {
		if slot := &x.slots[i&uint64(len(x.slots)-1)]; *slot == 0 {
			*slot = hash>>32<<32 | uint64(n+1)
			return
		}
	}
}

// firsts gives the first number under each of some hashes, or none.
func (x *index) firsts(hashes []uint64, found *[ahead]uint32) {
	for i, h := range hashes {
		found[i] = uint32(x.slots[h&uint64(len(x.slots)-1)]) // brings the slots near
	}
	for i, h := range hashes {
		found[i] = none
		for n := range x.at(h) {
			found[i] = n
			break
		}
	}
}

// at yields the numbers that were put under a hash, in that order, and few more.
func (x *index) at(hash uint64) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for i := hash; len(x.slots) > 0; i++ {
			slot := x.slots[i&uint64(len(x.slots)-1)]
			if slot == 0 || slot>>32 == hash>>32 && !yield(uint32(slot)-1) {
				return
			}
		}
	}
}

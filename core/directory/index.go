package directory

import (
	"hash/maphash"
	"iter"
)

// index finds numbers by the hash of a text. It keeps no texts: who looks one up
// says whether a number that comes into question is the one meant.
type index struct {
	seed  maphash.Seed
	slots []uint64 // the lower half of the hash, and one more than the number
}

// newIndex makes an index with room for n numbers.
func newIndex(n int) index {
	return index{maphash.MakeSeed(), make([]uint64, n+n/2+16)}
}

// hash gives the hash of a text for put and at.
func (x *index) hash(text []byte) uint64 { return maphash.Bytes(x.seed, text) }

// hasRoom says whether an index of n numbers finds them in a few steps.
func (x *index) hasRoom(n int) bool { return n+n/4 < len(x.slots) }

// slot is the place of a hash: the upper half of it as a part of them all.
func (x *index) slot(hash uint64) uint64 { return hash >> 32 * uint64(len(x.slots)) >> 32 }

func (x *index) put(hash uint64, n uint32) {
	i := x.slot(hash)
	for x.slots[i] != 0 {
		if i++; i == uint64(len(x.slots)) {
			i = 0
		}
	}
	x.slots[i] = hash<<32 | uint64(n+1)
}

// firsts gives the first number under each of some hashes, or none.
func (x *index) firsts(hashes []uint64, found *[ahead]uint32) {
	for i, h := range hashes {
		found[i] = uint32(x.slots[x.slot(h)]) // brings the slots near
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
		if len(x.slots) == 0 {
			return
		}
		for i := x.slot(hash); x.slots[i] != 0; {
			if slot := x.slots[i]; slot>>32 == hash&(1<<32-1) && !yield(uint32(slot)-1) {
				return
			}
			if i++; i == uint64(len(x.slots)) {
				i = 0
			}
		}
	}
}

package directory

import (
	"maps"
	"math/bits"
	"slices"

	"gatemap/core/parallel"
)

// effective holds all groups of every user, at whatever level and in order. It
// lies in pieces, each for a stretch of users, which are filled at the same
// time and never copied.
type effective struct {
	end     []uint32 // by user: where the list ends in its piece
	pieces  [][]GroupID
	changed map[UserID][]GroupID
}

const stretch = 4096 // users in a piece

func (e *effective) at(u UserID) []GroupID {
	if e.changed != nil {
		if list, ok := e.changed[u]; ok {
			return list
		}
	}
	from := uint32(0)
	if u%stretch > 0 {
		from = e.end[u-1]
	}
	return e.pieces[u/stretch][from:e.end[u]:e.end[u]]
}

// with is the same with the lists of some users replaced.
func (e effective) with(replaced map[UserID][]GroupID) effective {
	changed := make(map[UserID][]GroupID, len(e.changed)+len(replaced))
	maps.Copy(changed, e.changed)
	maps.Copy(changed, replaced)
	e.changed = changed
	return e
}

// newEffective works out the groups of all users from those that hold them
// directly.
func newEffective(of *lists[link], n *nesting) effective {
	users := len(of.start) - 1
	e := effective{end: make([]uint32, users), pieces: make([][]GroupID, (users+stretch-1)/stretch)}
	parallel.For(len(e.pieces), 1, func(from, to int) {
		u := newUnion(n)
		for p := from; p < to; p++ {
			first, last := p*stretch, min((p+1)*stretch, users)
			most := 0
			for i := first; i < last; i++ {
				for _, l := range of.at(uint32(i)) {
					most += len(n.over(l.group()))
				}
			}
			piece := make([]GroupID, 0, most)
			for i := first; i < last; i++ {
				piece = u.add(piece, of.at(uint32(i)))
				e.end[i] = uint32(len(piece))
			}
			e.pieces[p] = piece
		}
	})
	return e
}

// union joins what is above several groups, each group once and in order, by a
// bit for each group and a bit for each word of these.
type union struct {
	nesting *nesting
	words   []uint64
	used    []uint64
}

func newUnion(n *nesting) *union {
	words := len(n.ring)/64 + 1
	return &union{nesting: n, words: make([]uint64, words), used: make([]uint64, words/64+1)}
}

// add appends the groups of someone who is directly in some.
func (u *union) add(to []GroupID, direct []link) []GroupID {
	for _, l := range direct {
		for _, g := range u.nesting.over(l.group()) {
			u.words[g/64] |= 1 << (g % 64)
			u.used[g/4096] |= 1 << (g / 64 % 64)
		}
	}
	for i, used := range u.used {
		for ; used != 0; used &= used - 1 {
			w := i*64 + bits.TrailingZeros64(used)
			for word := u.words[w]; word != 0; word &= word - 1 {
				to = append(to, GroupID(w*64+bits.TrailingZeros64(word)))
			}
			u.words[w] = 0
		}
		u.used[i] = 0
	}
	return to
}

// Unfold works out the groups of all users again, for measuring.
func (b *Book) Unfold() { newEffective(&b.userGroups, b.nesting) }

// Unfolded works out the groups of one user again, from those that hold the user
// directly.
func (b *Book) Unfolded(u UserID) []GroupID {
	var all []GroupID
	for _, l := range b.userGroups.at(uint32(u)) {
		all = append(all, b.nesting.over(l.group())...)
	}
	slices.Sort(all)
	return slices.Compact(all)
}

package directory

import (
	"maps"
	"math/bits"
	"slices"

	"gatemap/core/parallel"
)

// effective holds all groups of every user, at whatever level and in order. It
// lies in pieces, each for a stretch of users, which are filled at the same
// time.
type effective struct {
	end     []uint32 // by user: where the list ends in its piece
	pieces  [][]GroupID
	changed map[UserID][]GroupID
}

const stretch = 1024 // users in a piece

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

// newEffective computes the groups of all users from those that hold them
// directly.
func newEffective(of *lists[link], n *nesting) effective {
	users := len(of.start) - 1
	e := effective{end: make([]uint32, users), pieces: make([][]GroupID, (users+stretch-1)/stretch)}
	parallel.For(len(e.pieces), 8, func(from, to int) {
		u, piece := newUnion(n), make([]GroupID, 0, min(stretch, users)*64)
		for p := from; p < to; p++ {
			piece = piece[:0]
			for i := p * stretch; i < min((p+1)*stretch, users); i++ {
				piece = u.add(piece, of.at(uint32(i)))
				e.end[i] = uint32(len(piece))
			}
			e.pieces[p] = append([]GroupID(nil), piece...)
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
	held    []GroupID // those that others hold
}

func newUnion(n *nesting) *union {
	words := len(n.held)
	return &union{nesting: n, words: make([]uint64, words), used: make([]uint64, words/64+1)}
}

// add appends the groups of someone who is directly in some. About half of these are
// held by no other; which they are is found without a jump, as a jump that the processor
// does not foresee costs more than all else that is done for a group.
func (u *union) add(to []GroupID, direct []link) []GroupID {
	u.held = slices.Grow(u.held[:0], len(direct))
	held, n := u.held[:len(direct)], 0
	words, used, isHeld := u.words, u.used, u.nesting.held
	for _, l := range direct {
		g := l.group()
		note(words, used, g)
		held[n] = g
		n += int(isHeld[g/64] >> (g % 64) & 1)
	}
	for _, inner := range held[:n] {
		for _, g := range u.nesting.over(inner) {
			note(words, used, g)
		}
	}
	for first := 0; first < len(used); first += 64 {
		// Which of them are not empty is found without a jump too.
		filled := uint64(0)
		for i, some := range used[first:min(first+64, len(used))] {
			filled |= (some | -some) >> 63 << i
		}
		for ; filled != 0; filled &= filled - 1 {
			i := first + bits.TrailingZeros64(filled)
			some := used[i]
			used[i] = 0
			for ; some != 0; some &= some - 1 {
				w := i*64 + bits.TrailingZeros64(some)
				for word := words[w]; word != 0; word &= word - 1 {
					to = append(to, GroupID(w*64+bits.TrailingZeros64(word)))
				}
				words[w] = 0
			}
		}
	}
	return to
}

func note(words, used []uint64, g GroupID) {
	words[g/64] |= 1 << (g % 64)
	used[g/4096] |= 1 << (g / 64 % 64)
}

// union gives the groups of someone who is directly in some.
func (n *nesting) union(direct []link) []GroupID {
	u, _ := n.unions.Get().(*union)
	if u == nil {
		u = newUnion(n)
	}
	defer n.unions.Put(u)
	most := 0
	for _, l := range direct {
		most += len(n.over(l.group()))
	}
	return u.add(make([]GroupID, 0, most), direct)
}

// Unfold computes the groups of all users again, for measuring.
func (b *Book) Unfold() { newEffective(&b.userGroups, b.nesting) }

// Unfolded computes the groups of one user again, from those that hold the user
// directly.
func (b *Book) Unfolded(u UserID) []GroupID { return b.nesting.union(b.userGroups.at(uint32(u))) }

package directory

import (
	"maps"
	"runtime"

	"gatemap/core/parallel"
)

// lists holds a list for each number from 0, all in one piece of memory. Lists
// that a change has replaced stand beside it, so that the rest is shared. It is
// immutable once made.
type lists[T any] struct {
	start   []uint32 // one more than there are lists
	all     []T
	changed map[uint32][]T
}

func (l *lists[T]) at(i uint32) []T {
	if l.changed != nil {
		if list, ok := l.changed[i]; ok {
			return list
		}
	}
	if int(i) >= len(l.start)-1 {
		return nil // a number that came later
	}
	return l.all[l.start[i]:l.start[i+1]]
}

// with is the lists with some of them replaced.
func (l lists[T]) with(replaced map[uint32][]T) lists[T] {
	if len(replaced) == 0 {
		return l
	}
	changed := make(map[uint32][]T, len(l.changed)+len(replaced))
	maps.Copy(changed, l.changed)
	maps.Copy(changed, replaced)
	l.changed = changed
	return l
}

// gather puts lists into one piece of memory.
func gather[T any](each [][]T) lists[T] {
	l := lists[T]{start: make([]uint32, len(each)+1)}
	total := 0
	for i, list := range each {
		total += len(list)
		l.start[i+1] = uint32(total)
	}
	l.all = make([]T, total)
	parallel.For(len(each), 4096, func(from, to int) {
		for i := from; i < to; i++ {
			copy(l.all[l.start[i]:], each[i])
		}
	})
	return l
}

// link is the number of a user or group with the way in which one is a member
// of the other.
type link uint32

func newLink(id uint32, how way) link { return link(id<<2 | uint32(how)) }

func (l link) id() uint32      { return uint32(l) >> 2 }
func (l link) how() How        { return hows[l&3] }
func (l link) group() GroupID  { return GroupID(l.id()) }
func (l link) user() UserID    { return UserID(l.id()) }
func (l link) turn(n int) link { return newLink(uint32(n), way(l&3)) }
func sameID(a, b link) bool    { return a.id() == b.id() }

// way is a How as a number, the plainest first.
type way uint8

const (
	direct way = iota
	primary
	byRule
)

var hows = [...]How{Direct, Primary, ByRule}

// turned turns lists around: of a list of links for each of those numbered from
// 0 it makes one for each of n others, in order. The links are first dealt out by
// stretches of the others, whose lists then stay near while they are written.
func turned(from *lists[link], n int) lists[link] {
	l := lists[link]{start: make([]uint32, n+1), all: make([]link, len(from.all))}
	dealt, begin := deal(from, n)
	parallel.For(len(begin)-1, 1, func(first, last int) {
		for s := first; s < last; s++ {
			low, high := s<<stretchBits, min((s+1)<<stretchBits, n)
			some, at := dealt[begin[s]:begin[s+1]], begin[s]
			next := make([]uint32, high-low)
			for _, x := range some {
				next[int(x.to.id())-low]++
			}
			for i, count := range next {
				l.start[low+i], next[i] = at, at
				at += count
			}
			for _, x := range some {
				to := &next[int(x.to.id())-low]
				l.all[*to] = x.back
				*to++
			}
		}
	})
	l.start[n] = uint32(len(l.all))
	return l
}

// turn is a link, and the one that leads back.
type turn struct{ to, back link }

// stretchBits is how many bits of a number are not of that of its stretch.
const stretchBits = 13

// deal puts the links to n others in the order of the stretches of these, those to one
// stretch in the order in which they come; begin says where each stretch begins.
func deal(from *lists[link], n int) (dealt []turn, begin []uint32) {
	dealt, begin = make([]turn, len(from.all)), make([]uint32, n>>stretchBits+2)
	// Every hand has a share of the lists, and a place in each stretch for it.
	hands, count := runtime.GOMAXPROCS(0), len(from.start)-1
	next := make([][]uint32, hands)
	deals := func(work func(next []uint32, list int)) {
		parallel.For(hands, 1, func(first, last int) {
			for h := first; h < last; h++ {
				for i := count * h / hands; i < count*(h+1)/hands; i++ {
					work(next[h], i)
				}
			}
		})
	}
	for h := range next {
		next[h] = make([]uint32, len(begin)-1)
	}
	deals(func(next []uint32, list int) {
		for _, x := range from.at(uint32(list)) {
			next[x.id()>>stretchBits]++
		}
	})
	at := uint32(0)
	for s := range begin[1:] {
		for h := range next {
			next[h][s], at = at, at+next[h][s]
		}
		begin[s+1] = at
	}
	deals(func(next []uint32, list int) {
		for _, x := range from.at(uint32(list)) {
			to := &next[x.id()>>stretchBits]
			dealt[*to] = turn{x, x.turn(list)}
			*to++
		}
	})
	return dealt, begin
}

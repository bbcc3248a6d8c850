package directory

import (
	"maps"
	"runtime"
	"slices"

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
	l.all = make([]T, 0, total)
	for _, list := range each {
		l.all = append(l.all, list...)
	}
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
// 0 it makes one for each of n others, in order. All links are read for each part
// of the others, whose lists then stay near while they are written.
func turned(from *lists[link], n int) lists[link] {
	l := lists[link]{start: make([]uint32, n+1), all: make([]link, len(from.all))}
	for _, x := range from.all {
		l.start[x.id()+1]++
	}
	for i := range n {
		l.start[i+1] += l.start[i]
	}
	next := slices.Clone(l.start[:n])
	part := min(1<<16, max(1024, (n+runtime.GOMAXPROCS(0)-1)/runtime.GOMAXPROCS(0)))
	parallel.For(n, part, func(first, last int) {
		for i := range len(from.start) - 1 {
			for _, x := range from.at(uint32(i)) {
				if id := int(x.id()); first <= id && id < last {
					l.all[next[id]] = x.turn(i)
					next[id]++
				}
			}
		}
	})
	return l
}

package directory

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"gatemap/core/name"
)

// Coming is a record that comes into a directory, given by its place in Directories.
type Coming[T any] struct {
	Home   int
	Record *T
}

// arrivals is what is otherwise where records of one kind came or went since the book was
// built. Records keep their numbers: one that comes has a number after those of all
// others, whatever its name, and the number of one that goes is not used again.
type arrivals struct {
	built int      // how many there were, numbered in the order of names
	came  []uint32 // those that came and are there, in the order of names
	order []uint64 // of those that came, as of shelf.order
	gone  map[uint32]bool
	moved []uint32 // those that came or went by the last edit
}

// has says whether a number is of a record that is there.
func (s *shelf[T]) has(n uint32) bool { return int(n) < len(s.records) && !s.went(n) }

// went says whether a number is of a record that is there no longer.
func (s *shelf[T]) went(n uint32) bool { return s.late != nil && s.late.gone[n] }

// built is how many records there were when the book was built.
func (s *shelf[T]) built() int {
	if s.late != nil {
		return s.late.built
	}
	return len(s.records)
}

// count is how many records there are.
func (s *shelf[T]) count() int {
	if s.late != nil {
		return len(s.records) - len(s.late.gone)
	}
	return len(s.records)
}

// moved lists the records that came or went by the edit that made the book.
func (s *shelf[T]) moved() []uint32 {
	if s.late == nil {
		return nil
	}
	return s.late.moved
}

// order is less of one record than of another whose name comes later.
func (s *shelf[T]) order(n uint32) uint64 {
	if s.late != nil && int(n) >= s.late.built {
		return s.late.order[int(n)-s.late.built]
	}
	return (uint64(n) + 1) << 32
}

// all yields the records that are there, in the order of their names.
func (s *shelf[T]) all(yield func(uint32) bool) {
	var came []uint32
	if s.late != nil {
		came = s.late.came
	}
	for n := range uint32(s.built()) {
		for len(came) > 0 && s.order(came[0]) < s.order(n) {
			if !yield(came[0]) {
				return
			}
			came = came[1:]
		}
		if !s.went(n) && !yield(n) {
			return
		}
	}
	slices.Values(came)(yield)
}

// inOrderOf puts what belongs to records, in the order of their numbers, in that of their
// names.
func inOrderOf[T, R any](s *shelf[R], list []T, number func(T) uint32) []T {
	if s.late == nil || len(list) == 0 || int(number(list[len(list)-1])) < s.late.built {
		return list
	}
	return slices.SortedStableFunc(slices.Values(list), func(x, y T) int {
		return cmp.Compare(s.order(number(x)), s.order(number(y)))
	})
}

// move lets records come and go: bare is what is left of one that goes. ok is false
// where one that comes has no name, or that of one that is there, or where there is no
// room for it.
func (s *shelf[T]) move(docs []*Document, come []Coming[T], leave []uint32, named func(*T) string, bare func(name string) *T) (moved shelf[T], ok bool) {
	m := *s
	if len(come)+len(leave) == 0 && s.late == nil {
		return m, true
	}
	if m.late = s.late.next(len(s.records)); len(come)+len(leave) == 0 {
		return m, true
	}
	m.records, m.full, m.home = slices.Clone(s.records), slices.Clone(s.full), slices.Clone(s.home)
	m.index.slots, m.written = slices.Clone(s.index.slots), slices.Clone(s.written)
	for _, n := range leave {
		m.late.gone[n] = true
		m.records[n] = bare(named(s.records[n]))
	}
	if len(leave) > 0 {
		m.written = slices.DeleteFunc(m.written, m.went)
	}
	for _, c := range come {
		n, own := uint32(len(m.records)), named(c.Record)
		full := docs[c.Home].Name + "/" + own
		folded := []byte(name.Fold(full))
		if _, known := m.find(folded); known || own == "" || !m.index.hasRoom(len(m.full)+1) {
			return m, false
		}
		m.records, m.full, m.home, m.written = append(m.records, c.Record), append(m.full, full), append(m.home, uint16(c.Home)), append(m.written, n)
		m.index.put(m.index.hash(folded), n)
		m.late.moved = append(m.late.moved, n)
	}
	m.late.moved = append(m.late.moved, leave...)
	m.arrange()
	return m, true
}

// next is what an edit of a book with so many records starts from.
func (a *arrivals) next(records int) *arrivals {
	if a == nil {
		return &arrivals{built: records, gone: map[uint32]bool{}}
	}
	return &arrivals{built: a.built, came: a.came, order: a.order, gone: maps.Clone(a.gone)}
}

// arrange puts the records that came in the order of their names, among the others.
func (s *shelf[T]) arrange() {
	l := s.late
	came := make([]entry, 0, len(s.records)-l.built)
	for n := l.built; n < len(s.records); n++ {
		came = append(came, newEntry(name.Fold(s.full[n]), n))
	}
	slices.SortFunc(came, byName)
	l.came, l.order = nil, make([]uint64, len(came))
	for rank, c := range came {
		before, _ := slices.BinarySearchFunc(s.full[:l.built], c.folded, func(full, folded string) int {
			return strings.Compare(name.Fold(full), folded)
		})
		l.order[c.order-l.built] = uint64(before)<<32 + uint64(rank) + 1
		if !l.gone[uint32(c.order)] {
			l.came = append(l.came, uint32(c.order))
		}
	}
}

package directory

import (
	"cmp"
	"maps"
	"slices"
	"sort"

	"gatemap/core/name"
)

// Coming is a record that comes into a directory, given by its place in Directories.
type Coming[T any] struct {
	Home   int
	Record *T
}

// arrivals is what is otherwise where records of one kind came or went since the book was
// built, or have other names. Records keep their numbers: one that comes has a number after
// those of all others, whatever its name, and the number of one that goes is not used again.
type arrivals struct {
	built  int               // how many there were, numbered in the order of names
	came   []uint32          // those out of that order that are there: that came, or have other names
	order  map[uint32]uint64 // of those out of that order, as of recordList.order
	gone   map[uint32]bool
	moved  []uint32          // those that came or went, or got other names, by the last edit
	former map[uint32]string // the full names that some of these had before
	origin map[uint32]string // the full names by which those were numbered that have others now
}

// has says whether a number is of a record that is there.
func (s *recordList[T]) has(n uint32) bool { return int(n) < len(s.records) && !s.went(n) }

// went says whether a number is of a record that is there no longer.
func (s *recordList[T]) went(n uint32) bool { return s.late != nil && s.late.gone[n] }

// built is how many records there were when the book was built.
func (s *recordList[T]) built() int {
	if s.late != nil {
		return s.late.built
	}
	return len(s.records)
}

// count is how many records there are.
func (s *recordList[T]) count() int {
	if s.late != nil {
		return len(s.records) - len(s.late.gone)
	}
	return len(s.records)
}

// moved lists the records that came or went by the edit that made the book, or got other
// names.
func (s *recordList[T]) moved() []uint32 {
	if s.late == nil {
		return nil
	}
	return s.late.moved
}

// former is the full name that a record had before the edit that made the book.
func (s *recordList[T]) former(n uint32) string {
	if s.late != nil && s.late.former[n] != "" {
		return s.late.former[n]
	}
	return s.full[n]
}

// order is less of one record than of another whose name comes later.
func (s *recordList[T]) order(n uint32) uint64 {
	if s.late != nil {
		if order, apart := s.late.order[n]; apart {
			return order
		}
	}
	return (uint64(n) + 1) << 32
}

// all yields the records that are there, in the order of their names.
func (s *recordList[T]) all(yield func(uint32) bool) {
	var came []uint32
	var apart map[uint32]uint64
	if s.late != nil {
		came, apart = s.late.came, s.late.order
	}
	for n := range uint32(s.built()) {
		if _, is := apart[n]; is {
			continue
		}
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
func inOrderOf[T, R any](s *recordList[R], list []T, number func(T) uint32) []T {
	if s.late == nil || len(s.late.order) == 0 || len(list) == 0 {
		return list
	}
	if last := int(number(list[len(list)-1])); len(s.late.origin) == 0 && last < s.late.built {
		return list
	}
	return slices.SortedStableFunc(slices.Values(list), func(x, y T) int {
		return cmp.Compare(s.order(number(x)), s.order(number(y)))
	})
}

// moves are what comes into the records of one kind and goes out of them, and those that get
// other names, by number.
type moves[T any] struct {
	come   []Coming[T]
	leave  []uint32
	rename map[uint32]*T
}

// move lets records come and go, and have other names: bare is what is left of one that
// goes. ok is false where one has no name, or that of one that is there, or where there is
// no room for it.
func (s *recordList[T]) move(
	docs []*Document, x moves[T], named func(*T) string, bare func(name string) *T,
) (moved recordList[T], ok bool) {
	m, come, leave := *s, x.come, x.leave
	count := len(come) + len(leave) + len(x.rename)
	if count == 0 && s.late == nil {
		return m, true
	}
	if m.late = s.late.next(len(s.records)); count == 0 {
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
		m.records, m.full, m.home, m.written = append(m.records, c.Record), append(m.full, full), append(m.home,
			uint16(c.Home)), append(m.written, n)
		m.index.put(m.index.hash(folded), n)
		m.late.moved = append(m.late.moved, n)
	}
	m.late.moved = append(m.late.moved, leave...)
	for _, n := range slices.Sorted(maps.Keys(x.rename)) {
		record := x.rename[n]
		full := docs[m.home[n]].Name + "/" + named(record)
		folded := []byte(name.Fold(full))
		if _, known := m.find(folded); known || named(record) == "" || !m.index.hasRoom(len(m.full)+len(m.late.order)+1) {
			return m, false
		}
		m.late.former[n] = m.full[n]
		if _, again := m.late.origin[n]; !again && int(n) < m.late.built {
			m.late.origin[n] = m.full[n]
		}
		m.late.order[n] = 0 // until it is arranged
		m.records[n], m.full[n] = record, full
		m.index.put(m.index.hash(folded), n)
		m.late.moved = append(m.late.moved, n)
	}
	m.arrange()
	return m, true
}

// next is what an edit of a book with so many records starts from.
func (a *arrivals) next(records int) *arrivals {
	if a == nil {
		return &arrivals{
			built: records, order: map[uint32]uint64{}, gone: map[uint32]bool{},
			former: map[uint32]string{}, origin: map[uint32]string{},
		}
	}
	return &arrivals{
		built: a.built, came: a.came, order: maps.Clone(a.order), gone: maps.Clone(a.gone),
		former: map[uint32]string{}, origin: maps.Clone(a.origin),
	}
}

// arrange puts the records that came, and those that have other names, in the order of
// names among the others.
func (s *recordList[T]) arrange() {
	l := s.late
	for n := l.built; n < len(s.records); n++ {
		l.order[uint32(n)] = 0
	}
	apart := make([]entry, 0, len(l.order))
	for n := range l.order {
		apart = append(apart, newEntry(name.Fold(s.full[n]), int(n)))
	}
	slices.SortFunc(apart, byName)
	l.came = nil
	for rank, c := range apart {
		before := sort.Search(l.built, func(n int) bool {
			full, renamed := l.origin[uint32(n)]
			if !renamed {
				full = s.full[n]
			}
			return name.Fold(full) >= c.folded
		})
		l.order[uint32(c.order)] = uint64(before)<<32 + uint64(rank) + 1
		if !l.gone[uint32(c.order)] {
			l.came = append(l.came, uint32(c.order))
		}
	}
}

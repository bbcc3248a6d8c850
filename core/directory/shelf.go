package directory

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/name"
	"gatemap/core/parallel"
	"gatemap/core/place"
)

// shelf holds the records of one kind in the order of their folded full names.
type shelf[T any] struct {
	kind    string
	records []*T
	full    []string          // as written
	index   map[string]uint32 // by folded full name
	home    []uint16          // index of the directory
}

type object struct {
	kind string
	id   uint32
}

// entry is a record on its way into a shelf.
type entry[T any] struct {
	record *T
	full   string
	folded string
	home   int
	order  int // in which it was written
}

func fill[T any](kind string, docs []*Document, list func(*Document) []*T, named func(*T) (string, place.Place), errs *place.Errors) shelf[T] {
	var all []entry[T]
	for home, d := range docs {
		for _, r := range list(d) {
			if n, at := named(r); n == "" {
				errs.Addf(at, "a %s needs a name", kind)
			} else {
				all = append(all, entry[T]{record: r, full: n, home: home, order: len(all)})
			}
		}
	}
	parallel.For(len(all), 4096, func(from, to int) {
		for i := from; i < to; i++ {
			all[i].full = name.Full(docs[all[i].home].Name, all[i].full)
			all[i].folded = name.Fold(all[i].full)
		}
	})
	sortEntries(all)
	s := shelf[T]{
		kind: kind, records: make([]*T, 0, len(all)), full: make([]string, 0, len(all)),
		home: make([]uint16, 0, len(all)), index: make(map[string]uint32, len(all)),
	}
	for i, e := range all {
		if i > 0 && all[i-1].folded == e.folded {
			_, first := named(all[i-1].record)
			_, at := named(e.record)
			errs.Addf(at, "%s %s stands in the directory twice; it is also at %s", kind, e.full, first)
			continue
		}
		s.index[e.folded] = uint32(len(s.records))
		s.records = append(s.records, e.record)
		s.full = append(s.full, e.full)
		s.home = append(s.home, uint16(e.home))
	}
	return s
}

// sortEntries sorts by folded name: both halves at the same time, and then
// together.
func sortEntries[T any](all []entry[T]) {
	byName := func(a, b entry[T]) int {
		return cmp.Or(strings.Compare(a.folded, b.folded), cmp.Compare(a.order, b.order))
	}
	half := (len(all) + 1) / 2
	parallel.For(len(all), max(half, 1024), func(from, to int) { slices.SortFunc(all[from:to], byName) })
	if slices.IsSortedFunc(all, byName) {
		return
	}
	low, high := slices.Clone(all[:half]), all[half:]
	for i := range all {
		if len(high) == 0 || len(low) > 0 && byName(low[0], high[0]) <= 0 {
			all[i], low = low[0], low[1:]
		} else {
			all[i], high = high[0], high[1:]
		}
	}
}

// find looks a record up by its directory and name, both folded.
func (s *shelf[T]) find(directory, folded string) (int, bool) {
	var short [128]byte
	key := append(append(append(short[:0], directory...), '/'), folded...)
	i, ok := s.index[string(key)]
	return int(i), ok
}

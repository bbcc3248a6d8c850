package directory

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"slices"
	"strings"

	"gatemap/core/name"
	"gatemap/core/parallel"
	"gatemap/core/place"
)

// recordList holds the records of one kind in the order of their folded full names.
type recordList[T any] struct {
	kind    string
	records []*T
	full    []string // as written
	index   index    // by folded full name
	home    []uint16 // index of the directory
	// written lists the numbers in the order in which the records were written,
	// which is how they lie in memory.
	written []uint32
	late    *arrivals // nil if the records are those of which the book was built
}

// entry is a text to be sorted by.
type entry struct {
	start  [2]uint64 // of the text, so that few texts are compared whole
	folded string
	order  int // among those with the same text
}

func newEntry(folded string, order int) entry {
	return entry{[2]uint64{start(folded, 0), start(folded, 8)}, folded, order}
}

// fill puts the records of directories in the order of their names. Records with
// the name of another are left out, and reported to errs.
func fill[T any](
	kind string,
	docs []*Document,
	list func(*Document) []*T,
	named func(*T) (string, place.Place),
	errs *place.Errors,
) recordList[T] {
	s := recordList[T]{kind: kind}
	count := 0
	for _, d := range docs {
		count += len(list(d))
	}
	s.records, s.full, s.home = make([]*T, 0, count), make([]string, 0, count), make([]uint16, 0, count)
	// A full name begins with the directory and a slash, so that names of one
	// directory stand together.
	for _, home := range inOrder(docs) {
		s.add(docs[home].Name, uint16(home), list(docs[home]), named, errs)
	}
	s.index = newIndex(len(s.full))
	hashes := make([]uint64, len(s.full))
	parallel.For(len(s.full), 4096, func(from, to int) {
		var short [128]byte
		for i := from; i < to; i++ {
			hashes[i] = s.index.hash(name.AppendFold(short[:0], s.full[i]))
		}
	})
	for i, h := range hashes {
		s.index.put(h, uint32(i))
	}
	return s
}

// inOrder gives the numbers of directories in the order of their names.
func inOrder(docs []*Document) []int {
	order := make([]int, len(docs))
	for i := range docs {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		return strings.Compare(name.Fold(name.Full(docs[a].Name, "")), name.Fold(name.Full(docs[b].Name, "")))
	})
	return order
}

// add adds the records of one directory.
func (s *recordList[T]) add(
	directory string,
	home uint16,
	records []*T,
	named func(*T) (string, place.Place),
	errs *place.Errors,
) {
	all := make([]entry, len(records))
	full := make([]string, len(records))
	parallel.For(len(records), 4096, func(from, to int) {
		for i, some := range spelled(records[from:to], directory+"/", named) {
			all[from+i], full[from+i] = newEntry(some.folded, from+i), some.full
		}
	})
	sortEntries(all)
	kept := 0
	for i, e := range all {
		twice := i > 0 && e.start == all[i-1].start && e.folded == all[i-1].folded
		if !twice && e.folded != "" {
			all[kept] = e
			kept++
			continue
		}
		if _, at := named(records[e.order]); e.folded == "" {
			errs.Addf(at, "a %s needs a name", s.kind)
		} else {
			_, first := named(records[all[i-1].order])
			errs.Addf(at, "%s %s is in the directory twice; it is also at %s", s.kind, full[e.order], first)
		}
	}
	before, written := len(s.records), slices.Repeat([]uint32{none}, len(records))
	s.records, s.full, s.home = s.records[:before+kept], s.full[:before+kept], s.home[:before+kept]
	parallel.For(kept, 4096, func(from, to int) {
		for i := from; i < to; i++ {
			n, order := before+i, all[i].order
			s.records[n], s.full[n], s.home[n], written[order] = records[order], full[order], home, uint32(n)
		}
	})
	s.written = append(s.written, slices.DeleteFunc(written, func(n uint32) bool { return n == none })...)
}

// spelling is a full name as written, and the name after the directory folded.
type spelling struct{ full, folded string }

// spelled writes the names of records one after the other, so that they lie
// together.
func spelled[T any](records []*T, prefix string, named func(*T) (string, place.Place)) []spelling {
	length := 0
	for _, r := range records {
		n, _ := named(r)
		length += len(n)
	}
	var full, folded strings.Builder
	full.Grow(length + len(prefix)*len(records))
	folded.Grow(length)
	var short [128]byte
	ends := make([][2]int, len(records))
	for i, r := range records {
		n, _ := named(r)
		full.WriteString(prefix)
		full.WriteString(n)
		folded.Write(name.AppendFold(short[:0], n))
		ends[i] = [2]int{full.Len(), folded.Len()}
	}
	all, from := make([]spelling, len(records)), [2]int{}
	for i, end := range ends {
		all[i] = spelling{full.String()[from[0]:end[0]], folded.String()[from[1]:end[1]]}
		from = end
	}
	return all
}

const none = ^uint32(0)

// start gives eight bytes of a text as a number, so that numbers are ordered as
// the texts are.
func start(text string, from int) uint64 {
	var eight [8]byte
	copy(eight[:], text[min(from, len(text)):])
	return binary.BigEndian.Uint64(eight[:])
}

func byName(a, b entry) int {
	switch {
	case a.start[0] != b.start[0]:
		return cmp.Compare(a.start[0], b.start[0])
	case a.start[1] != b.start[1]:
		return cmp.Compare(a.start[1], b.start[1])
	case a.folded != b.folded:
		return strings.Compare(a.folded, b.folded)
	}
	return cmp.Compare(a.order, b.order)
}

// sortEntries sorts by folded name: both halves at the same time, and then
// together.
func sortEntries(all []entry) {
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

// find looks a record up by its folded full name.
func (s *recordList[T]) find(folded []byte) (int, bool) {
	for i := range s.index.at(s.index.hash(folded)) {
		var short [128]byte
		if bytes.Equal(name.AppendFold(short[:0], s.full[i]), folded) && !s.went(i) {
			return int(i), true
		}
	}
	return 0, false
}

// findAll looks names up, bare ones in a directory, at most ahead of them; it
// gives none for each that may be found otherwise.
func (s *recordList[T]) findAll(directory string, refs []name.Ref) (found [ahead]uint32) {
	var hashes [ahead]uint64
	var plain [ahead]bool // spelled as the record spells it
	var short, other [128]byte
	full := func(r name.Ref) []byte {
		if strings.Contains(r.Name, "/") {
			return name.AppendFold(short[:0], r.Name)
		}
		return name.AppendFold(append(append(short[:0], directory...), '/'), r.Name)
	}
	for i := range refs {
		hashes[i] = s.index.hash(full(refs[i]))
	}
	s.index.firsts(hashes[:len(refs)], &found)
	for i := range refs {
		if n, written := found[i], refs[i].Name; n != none && len(s.full[n]) > len(written) {
			plain[i] = endsLike(s.full[n][len(s.full[n])-len(written):], written)
		}
	}
	for i := range refs {
		n, written := found[i], refs[i].Name
		if n == none {
			continue
		}
		home, own, _ := strings.Cut(s.full[n], "/")
		if plain[i] && own == written && string(name.AppendFold(short[:0], home)) == directory {
			continue
		}
		if !bytes.Equal(name.AppendFold(other[:0], s.full[n]), full(refs[i])) {
			found[i] = none
		}
	}
	return found
}

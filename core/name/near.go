package name

import (
	"cmp"
	"iter"
	"slices"
	"strings"
)

// maxNear is how many names a suggestion offers at the most.
const maxNear = 3

// Near returns up to three candidates that look most like what was written,
// the nearest first: those within a third of its length in edits and not much
// farther than the nearest, and those that it is the beginning of. Case does
// not matter.
func Near(written string, candidates iter.Seq[string]) []string {
	return NearWithin(written, len(written), candidates)
}

// NearWithin is Near with no more than so many edits, which is much quicker for
// many long names.
func NearWithin(written string, edits int, candidates iter.Seq[string]) []string {
	type scored struct {
		name     string
		distance int
	}
	want := []rune(Fold(written))
	limit := max(1, min(edits, (len(want)+2)/3))
	var rows rows
	var found []scored
	seen := map[string]bool{}
	for c := range candidates {
		folded := Fold(c)
		if seen[folded] {
			continue
		}
		seen[folded] = true
		have := []rune(folded)
		d := limit + 1
		if diff := len(have) - len(want); -limit <= diff && diff <= limit {
			d = rows.distance(want, have, limit)
		}
		if d > limit && len(want) >= 2 && strings.HasPrefix(folded, string(want)) {
			d = limit
		}
		if d <= limit {
			found = append(found, scored{c, d})
		}
	}
	slices.SortFunc(found, func(a, b scored) int {
		return cmp.Or(cmp.Compare(a.distance, b.distance), strings.Compare(a.name, b.name))
	})
	var names []string
	for _, s := range found[:min(maxNear, len(found))] {
		if s.distance <= found[0].distance+2 {
			names = append(names, s.name)
		}
	}
	return names
}

// rows are the last rows of the table by which a distance is computed.
type rows [3][]int

// distance is the optimal string alignment distance (insert, delete, replace,
// swap neighbours), or any number over limit once it must be over it.
func (r *rows) distance(a, b []rune, limit int) int {
	for i := range r {
		if cap(r[i]) <= len(b) {
			r[i] = make([]int, 2*len(b)+2)
		}
		r[i] = r[i][:len(b)+1]
	}
	before, last, row := r[0], r[1], r[2]
	for j := range last {
		last[j], before[j], row[j] = j, limit+1, limit+1
	}
	for i := 1; i <= len(a); i++ {
		// Farther than the limit from the diagonal everything is over it.
		from, to := max(1, i-limit), min(len(b), i+limit)
		row[from-1] = limit + 1
		if from == 1 {
			row[0] = i
		}
		least := row[from-1]
		for j := from; j <= to; j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
			least = min(least, row[j])
		}
		if to < len(b) {
			row[to+1] = limit + 1
		}
		if least > limit {
			return limit + 1
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}

// DidYouMean writes near names as the end of a sentence: "; did you mean a or
// b?", or nothing where there are none.
func DidYouMean(near []string) string {
	if len(near) == 0 {
		return ""
	}
	return "; did you mean " + strings.Join(near, " or ") + "?"
}

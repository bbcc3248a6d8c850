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
	type scored struct {
		name     string
		distance int
	}
	want := []rune(Fold(written))
	limit := max(1, (len(want)+2)/3)
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
			d = distance(want, have, limit)
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

// distance is the optimal string alignment distance (insert, delete, replace,
// swap neighbours), or any number over limit once it must be over it.
func distance(a, b []rune, limit int) int {
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		least := i
		for j := 1; j <= len(b); j++ {
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

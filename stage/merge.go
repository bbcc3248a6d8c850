package stage

import (
	"slices"
	"strings"

	"github.com/pmezard/go-difflib/difflib"
)

// Merge is a text with two changes of it made both, line by line; ok is false where they
// change the same lines, or add lines at the same place.
func Merge(text, one, other []byte) (merged []byte, ok bool) {
	lines := difflib.SplitLines(string(text))
	a, b := edits(lines, string(one)), edits(lines, string(other))
	all := append(a, b...)
	slices.SortStableFunc(all, func(x, y edit) int {
		if x.from != y.from {
			return x.from - y.from
		}
		return x.to - y.to
	})
	var out strings.Builder
	at := 0
	for i, e := range all {
		if i > 0 && clash(all[i-1], e) {
			return nil, false
		}
		for ; at < e.from; at++ {
			out.WriteString(lines[at])
		}
		for _, line := range e.lines {
			out.WriteString(line)
		}
		at = e.to
	}
	for ; at < len(lines); at++ {
		out.WriteString(lines[at])
	}
	return []byte(strings.TrimSuffix(out.String(), "\n")), true
}

// edit puts lines in the place of those from one index to before another.
type edit struct {
	from, to int
	lines    []string
}

func edits(lines []string, changed string) (all []edit) {
	now := difflib.SplitLines(changed)
	m := difflib.NewMatcherWithJunk(lines, now, false, nil)
	for _, op := range m.GetOpCodes() {
		if op.Tag != 'e' {
			all = append(all, edit{op.I1, op.I2, now[op.J1:op.J2]})
		}
	}
	return all
}

// clash says whether two edits, the first of which begins first, are about the same lines, or
// add at the same place.
func clash(x, y edit) bool {
	if x.from == y.from && (x.to == x.from || y.to == y.from) {
		return true
	}
	return y.from < x.to
}

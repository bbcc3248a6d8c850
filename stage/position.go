package stage

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"gatemap/core/name"
	"gatemap/mapfile"
)

// numbered is how a line without a name is called: mapping 3.
var numbered = regexp.MustCompile(`^(?:[a-z][a-z -]*)?([1-9][0-9]*)$`)

// which finds a line or part by its name, by a value that only it has, or by its number
// from 1. Where was is given, one found by number must be what was says, wherever it
// stands now.
func which(t *mapfile.Text, at mapfile.Spot, item string, was *string) (int, error) {
	if !t.IsList(at) {
		if spot, ok := t.Key(at, item); ok {
			return spot[len(spot)-1], nil
		}
		return 0, fmt.Errorf("there is no %s; there are %s", item, strings.Join(t.Keys(at), ", "))
	}
	found := []int{}
	var names []string
	for i := range t.Size(at) {
		label := t.Name(at.At(i))
		names = append(names, label)
		if label == item {
			return i, nil
		}
		if t.Has(at.At(i), item) {
			found = append(found, i)
		}
	}
	switch m := numbered.FindStringSubmatch(item); {
	case len(found) == 1:
		return found[0], nil
	case len(found) > 1:
		return 0, fmt.Errorf("%d items have %s; name one by its number, such as %d", len(found), item, found[0]+1)
	case m != nil:
		n, err := strconv.Atoi(m[1])
		if err == nil && n <= t.Size(at) && (was == nil || t.Flow(at.At(n-1)) == *was) {
			return n - 1, nil
		}
		if was != nil {
			return again(t, at, *was)
		}
		return 0, fmt.Errorf("there is no number %s; there are %d", m[1], t.Size(at))
	}
	if was != nil {
		return 0, moved("%s is no longer there", item)
	}
	return 0, fmt.Errorf("there is no %s%s", item, name.DidYouMean(name.Near(item, func(yield func(string) bool) {
		for _, n := range names {
			if n != "" && !yield(n) {
				return
			}
		}
	})))
}

// again finds the only line or part that is what it was.
func again(t *mapfile.Text, at mapfile.Spot, was string) (int, error) {
	found := -1
	for i := range t.Size(at) {
		if t.Flow(at.At(i)) != was {
			continue
		}
		if found >= 0 {
			return 0, moved("%s is there more than once now", was)
		}
		found = i
	}
	if found < 0 {
		return 0, moved("%s is no longer there", was)
	}
	return found, nil
}

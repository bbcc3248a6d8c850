package directory

import (
	"iter"
	"slices"
	"strings"

	"gatemap/core/filter"
	"gatemap/core/name"
)

// postings are the values of an attribute of which nearly everyone has a value of
// their own, in order; nil if some are not plain texts.
type postings []entry

// postings sorts the users by their values of an attribute, by its folded name.
func (b *Book) postings(attribute string) postings {
	all := make(postings, 0, b.Users())
	for _, p := range inPieces(b.users.written, func(users []uint32) postings {
		some := make(postings, 0, len(users))
		for _, u := range users {
			if t := text(b.Values(UserID(u), attribute)); t != "" {
				some = append(some, newEntry(name.Fold(t), int(u)))
			}
		}
		return some
	}) {
		all = append(all, p...)
	}
	if slices.ContainsFunc(all, func(e entry) bool { return e.folded[0] == 0 }) {
		return nil
	}
	sortEntries(all)
	return all
}

// candidates yields the users whom a filter that starts from a value may match.
func (p postings) candidates(b *Book, start filter.Start, ok bool) iter.Seq[UserID] {
	return func(yield func(UserID) bool) {
		if !ok || p == nil {
			b.AllUsers(yield)
			return
		}
		for i := range fitting(p, start, func(e entry) string { return e.folded }) {
			if !yield(UserID(p[i].order)) {
				return
			}
		}
	}
}

// fitting yields the indices of what fits a start in a list in the order of folded values.
func fitting[T any](list []T, start filter.Start, folded func(T) string) iter.Seq[int] {
	return func(yield func(int) bool) {
		from := 0
		if start.Leads() {
			from, _ = slices.BinarySearchFunc(
				list,
				start.Text,
				func(x T, text string) int { return strings.Compare(folded(x), text) },
			)
		}
		for i := from; i < len(list); i++ {
			switch fits := start.Fits(folded(list[i])); {
			case fits && !yield(i), !fits && start.Leads():
				return
			}
		}
	}
}

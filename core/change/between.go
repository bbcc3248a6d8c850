package change

import (
	"math"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Summary is who gains and loses what between two maps: how much, and the
// beginning of each list.
type Summary struct {
	Outcome
	GainCount, LossCount, ChangeCount int
	// Touched is how many people the difference touches, and Looked for how many of
	// these it was computed what they gain and lose.
	Touched, Looked int
}

// Between computes who gains and loses what between two maps with the same
// systems, whose users and groups differ, and keeps the first of each. Up to limit
// people on either side it looks at all of them. Beyond that it looks at some of
// those whose records or groups differ, and leaves out whom it touches only because
// something is shared out to others. The error is as that of Maps.
func Between(before, after *atlas.Atlas, s situation.Situation, limit, keep int) (*Summary, error) {
	return between(before, after, s, limit, keep, math.MaxInt)
}

// between is Between that looks at nobody else once it has most effects.
func between(before, after *atlas.Atlas, s situation.Situation, limit, keep, most int) (*Summary, error) {
	was, is, err := onBoth(before, after, s)
	if err != nil {
		return nil, err
	}
	o := &Summary{Outcome: *nothing(before, after, false)}
	people := sides(before.Book, after.Book)
	touched := slices.DeleteFunc(slices.Clone(people), func(p person) bool { return !p.differs })
	o.Touched, o.Looked = len(touched), len(touched)
	if before.Book.UserCount() > limit || after.Book.UserCount() > limit {
		o.Looked = min(len(touched), limit/some)
		people = touched[:o.Looked]
	}
	for i, p := range people {
		if i > 0 && o.effects() >= most {
			o.Looked = i
			break
		}
		var x, y []rule.Entitlement
		if p.was {
			x = before.Reach(p.before, was, nil)
		}
		if p.is {
			y = after.Reach(p.after, is, nil)
		}
		one := Outcome{meant: o.meant}
		one.user(p.name, x, y)
		one.sort()
		o.GainCount, o.Gains = o.GainCount+len(one.Gains), begin(o.Gains, one.Gains, keep)
		o.LossCount, o.Losses = o.LossCount+len(one.Losses), begin(o.Losses, one.Losses, keep)
		o.ChangeCount, o.Changes = o.ChangeCount+len(one.Changes), begin(o.Changes, one.Changes, keep)
	}
	return o, nil
}

// some is the part of the limit that is looked at where there are more.
const some = 5

// begin adds to the beginning of a list that is kept.
func begin[T any](list, more []T, keep int) []T {
	return append(list, more[:min(len(more), max(0, keep-len(list)))]...)
}

// person is a user on two sides.
type person struct {
	name          string
	before, after directory.UserID
	was, is       bool
	differs       bool // the record, or the groups
}

// sides lists the users of two books, by name.
func sides(before, after *directory.Book) []person {
	number := map[string]directory.GroupID{}
	for g := range before.AllGroups {
		number[before.GroupName(g)] = g
	}
	// counts gives the number before of a group that counts as it did.
	counts := make([]int, after.Groups())
	for g := range counts {
		id := directory.GroupID(g)
		counts[g] = -1
		if old, ok := number[after.GroupName(id)]; ok && alikeGroups(before.Group(old), after.Group(id)) {
			counts[g] = int(old)
		}
	}
	left := make(map[string]directory.UserID, before.UserCount())
	for id := range before.AllUsers {
		left[name.Fold(before.UserName(id))] = id
	}
	var list []person
	var x, y []int
	for a := range after.AllUsers {
		key := name.Fold(after.UserName(a))
		b, known := left[key]
		if !known {
			list = append(list, person{name: after.UserName(a), after: a, is: true, differs: true})
			continue
		}
		delete(left, key)
		x, y = x[:0], y[:0]
		for _, g := range before.Subject(b).Groups() {
			x = append(x, int(g))
		}
		for _, g := range after.Subject(a).Groups() {
			y = append(y, counts[g])
		}
		slices.Sort(y)
		list = append(
			list,
			person{after.UserName(a), b, a, true, true, before.User(b) != after.User(a) || !slices.Equal(x, y)},
		)
	}
	for _, b := range left {
		list = append(list, person{name: before.UserName(b), before: b, was: true, differs: true})
	}
	slices.SortFunc(list, func(a, b person) int { return strings.Compare(a.name, b.name) })
	return list
}

// alikeGroups says that two records of a group count in the same systems.
func alikeGroups(a, b *directory.Group) bool {
	return a == b || a.Kind == b.Kind && a.MembersFrom == b.MembersFrom && a.UsableIn == b.UsableIn && a.Host == b.Host
}

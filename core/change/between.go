package change

import (
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// Touched says how many people a change of directories touches, and for how many
// of these it was worked out what they gain and lose.
type Touched struct{ People, Looked int }

// Between works out who gains and loses what between two maps with the same
// systems, whose users and groups differ. Up to limit people on either side it
// looks at all of them. Beyond that it looks at the first limit of those whose
// records or groups differ, and leaves out whom it touches only because something
// is shared out to others. The error is as that of Maps.
func Between(before, after *atlas.Atlas, s situation.Situation, limit int) (*Outcome, Touched, error) {
	touched := differ(before.Book, after.Book)
	if before.Book.Users() <= limit && after.Book.Users() <= limit {
		o, err := Entitlements(before, after, s)
		return o, Touched{len(touched), len(touched)}, err
	}
	was, err := before.Facts(s)
	if err != nil {
		return nil, Touched{}, err
	}
	is, err := after.Facts(s)
	if err != nil {
		return nil, Touched{}, err
	}
	o := &Outcome{Gains: []Held{}, Losses: []Held{}, Changes: []Changed{}}
	looked := touched[:min(limit, len(touched))]
	for _, p := range looked {
		switch {
		case !p.was:
			o.user(p.name, nil, after.Reach(p.after, is, nil))
		case !p.is:
			o.user(p.name, before.Reach(p.before, was, nil), nil)
		default:
			o.user(p.name, before.Reach(p.before, was, nil), after.Reach(p.after, is, nil))
		}
	}
	o.sort()
	return o, Touched{len(touched), len(looked)}, nil
}

// person is a user on two sides.
type person struct {
	name          string
	before, after directory.UserID
	was, is       bool
}

// differ lists the users whose records or groups differ between two books, by
// name.
func differ(before, after *directory.Book) []person {
	number := map[string]directory.GroupID{}
	for g := range before.Groups() {
		number[before.GroupName(directory.GroupID(g))] = directory.GroupID(g)
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
	left := make(map[string]directory.UserID, before.Users())
	for u := range before.Users() {
		id := directory.UserID(u)
		left[name.Fold(before.UserName(id))] = id
	}
	var list []person
	var x, y []int
	for u := range after.Users() {
		a := directory.UserID(u)
		key := name.Fold(after.UserName(a))
		b, known := left[key]
		if !known {
			list = append(list, person{name: after.UserName(a), after: a, is: true})
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
		if before.User(b) != after.User(a) || !slices.Equal(x, y) {
			list = append(list, person{after.UserName(a), b, a, true, true})
		}
	}
	for _, b := range left {
		list = append(list, person{name: before.UserName(b), before: b, was: true})
	}
	slices.SortFunc(list, func(a, b person) int { return strings.Compare(a.name, b.name) })
	return list
}

// alikeGroups says that two records of a group count in the same systems.
func alikeGroups(a, b *directory.Group) bool {
	return a == b || a.Kind == b.Kind && a.Draws == b.Draws && a.Opens == b.Opens && a.Host == b.Host
}

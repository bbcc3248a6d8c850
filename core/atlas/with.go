package atlas

import (
	"fmt"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/place"
)

// With is the atlas as it is with another book of the same users and groups, and
// with other documents in the place of some of its systems. It shares all other
// systems but those that need an answer of one that is replaced, and those that name
// a group of another kind or reach. The error is as that of Compile.
func (a *Atlas) With(book *directory.Book, documents []*gate.System, guarantees []*Guarantee) (*Atlas, error) {
	n := &Atlas{Title: a.Title, Book: book, Frame: a.Frame, Systems: a.Systems, touch: a.touch}
	var errs place.Errors
	if len(documents)+len(book.Reshaped()) == 0 {
		return n, n.promises(guarantees, &errs)
	}
	n.Systems = slices.Clone(a.Systems)
	list := make([]*gate.System, len(a.Systems))
	for i, s := range a.Systems {
		list[i] = s.Document
	}
	for _, d := range documents {
		s, err := a.System(d.Name)
		if err != nil {
			return nil, err
		}
		list[s.number] = d
	}
	fresh := a.stale(list, book)
	for i := range n.Systems {
		if fresh[i] {
			n.Systems[i] = n.compile(list[i], list)
			n.Systems[i].number = i
			errs.Join(n.Systems[i].Site.Errors)
			n.Systems[i].Site.Errors = &errs
		}
	}
	if err := n.finish(guarantees, &errs, func(s *System) bool { return fresh[s.number] }); err != nil {
		return nil, err
	}
	return n, nil
}

// stale says which systems are to be compiled again, by their numbers, with
// other documents in the place of some: these; those that they stand behind, or
// stood, which may list who does; those that name a group that may count otherwise;
// and all that need an answer of one of them.
func (a *Atlas) stale(list []*gate.System, book *directory.Book) map[int]bool {
	stale := map[int]bool{}
	for i, s := range a.Systems {
		if s.leansOn(book.Reshaped(), book) {
			stale[i] = true
		}
		if list[i] == s.Document {
			continue
		}
		stale[i] = true
		for _, ref := range slices.Concat(a.behind(s.Document), a.behind(list[i])) {
			if front, err := a.System(ref.Name); err == nil {
				stale[front.number] = true
			}
		}
	}
	// What a system looks at has all that this looks at in it.
	for i, s := range a.Systems {
		if slices.ContainsFunc(s.looks, func(x *System) bool { return list[x.number] != x.Document || stale[x.number] }) {
			stale[i] = true
		}
	}
	return stale
}

// finish does what waits until all systems are compiled, for those that are
// new.
func (a *Atlas) finish(guarantees []*Guarantee, errs *place.Errors, fresh func(*System) bool) error {
	a.lookForCircles(errs)
	if err := errs.Err(); err != nil {
		return err
	}
	for _, s := range a.Systems {
		if !fresh(s) {
			continue
		}
		s.looks = a.looks(s)
		s.Site.Finish()
		for i := range s.Document.Behind {
			s.front = append(s.front, a.front(s, &s.Document.Behind[i], fmt.Sprintf("behind %d", i+1), errs))
		}
		if g, ok := s.Gate.(gate.Sparing); ok {
			giving := g.Giving()
			s.quiet = giving != nil && s.Site.Roster.Quiet(giving)
		}
	}
	a.touch = newTouch(a)
	return a.promises(guarantees, errs)
}

// promises compiles the guarantees.
func (a *Atlas) promises(guarantees []*Guarantee, errs *place.Errors) error {
	for _, g := range guarantees {
		a.Guarantees = append(a.Guarantees, a.promise(g, errs))
	}
	return errs.Err()
}

// Shifted lists the users whose entitlements can differ between this atlas and
// one before it, though neither they nor a system was changed: where what one
// holds depends on the others.
func (a *Atlas) Shifted(before *Atlas) []directory.UserID {
	var users []directory.UserID
	for _, s := range a.Systems {
		if g, ok := s.Gate.(gate.Shared); ok {
			users = append(users, g.Shifted(before.Book, a.Book)...)
		}
	}
	slices.Sort(users)
	return slices.Compact(users)
}

// Fresh lists the systems that are not shared with an atlas before this one.
func (a *Atlas) Fresh(before *Atlas) []*System {
	var list []*System
	for i, s := range a.Systems {
		if s != before.Systems[i] {
			list = append(list, s)
		}
	}
	return list
}

// leansOn says whether one of some groups counts in a system otherwise by a book than by
// that of which the system was compiled, and whether that matters to it.
func (s *System) leansOn(groups []directory.GroupID, book *directory.Book) bool {
	now := gate.Site{System: s.Document, Book: book}
	grouped, _ := s.Gate.(gate.Grouped)
	return slices.ContainsFunc(groups, func(g directory.GroupID) bool {
		return s.Site.Counts(g) != now.Counts(g) &&
			(grouped != nil && grouped.TakesName(book.Group(g).Name) || slices.ContainsFunc(s.Site.Mapped, func(m gate.Mapped) bool { return m.Group == g }))
	})
}

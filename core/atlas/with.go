package atlas

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Changed is what differs in a map.
type Changed struct {
	Title string
	// Book is edited from that of the atlas, and Frame begins with the networks and
	// windows of the one before.
	Book       *directory.Book
	Frame      *situation.Frame
	Systems    []*gate.System // documents in the place of others of the same names
	Guarantees []*Guarantee   // all of them
}

// With is the atlas as it is with changes. It shares all systems but those that have
// another document, that need an answer of one of these, and that name a user or group who
// came or went, a group of another kind or reach, or a network or window that was not there. The error is as
// that of Compile.
func (a *Atlas) With(c Changed) (*Atlas, error) {
	n := &Atlas{Title: c.Title, Book: c.Book, Frame: c.Frame, Systems: a.Systems, touch: a.touch}
	book, documents, guarantees := c.Book, c.Systems, c.Guarantees
	var errs place.Errors
	added := added(a.Frame, c.Frame)
	if len(documents)+len(book.Reshaped())+len(book.Moved())+len(book.MovedUsers())+len(added) == 0 {
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
	fresh := a.stale(list, book, added)
	if len(fresh) == 0 {
		n.Systems = a.Systems
		return n, n.promises(guarantees, &errs)
	}
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
func (a *Atlas) stale(list []*gate.System, book *directory.Book, added []string) map[int]bool {
	stale := map[int]bool{}
	for i, s := range a.Systems {
		if s.leansOn(book.Reshaped(), book) || s.misses(added) || s.means(book) {
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
		giving, needed := s.Gate.Giving()
		s.quiet = needed && s.Site.Index.Quiet(giving)
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
// one before it, though nothing about them was changed: where what one
// holds depends on the others.
func (a *Atlas) Shifted(before *Atlas) []directory.UserID {
	var users []directory.UserID
	for i, s := range a.Systems {
		were := before.Systems[i].Site.Shared
		for j, x := range s.Site.Shared {
			var was gate.Shared
			if j < len(were) {
				was = were[j]
			}
			users = append(users, x.Shifted(was, before.Book, a.Book)...)
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
// that of which the system was compiled, or does not for another reason, and whether
// that matters to it.
func (s *System) leansOn(groups []directory.GroupID, book *directory.Book) bool {
	now := gate.Site{System: s.Document, Book: book}
	return slices.ContainsFunc(groups, func(g directory.GroupID) bool {
		return s.Site.Uncounted(g) != now.Uncounted(g) &&
			(s.Site.TakesName(book.Group(g).Name) || s.Site.Maps(g))
	})
}

// means says whether a system looks at a group that came or went, or has a name that may
// lead to a group or user who came or went, or to more than one now.
func (s *System) means(book *directory.Book) bool {
	groups, users := book.Moved(), book.MovedUsers()
	if len(groups)+len(users) == 0 {
		return false
	}
	now := gate.Site{System: s.Document, Book: book}
	for _, g := range groups {
		site := &now
		if book.Gone(g) {
			site = s.Site
		}
		if (s.Site.TakesName(bare(book.GroupName(g))) || s.Site.TakesName(bare(book.Former(g)))) && site.Counts(g) {
			return true
		}
	}
	return share(groups, s.Site.Refers.Groups, book.GroupName) || share(users, s.Site.Refers.Users, book.UserName) ||
		slices.ContainsFunc(s.Site.Findings, func(f finding.Finding) bool { return book.Concerns(&f) })
}

// bare is a full name without the directory.
func bare(full string) string {
	_, own, _ := strings.Cut(full, "/")
	return own
}

// share says whether something of one list has the bare name of something of another.
func share[ID comparable](moved, refers []ID, full func(ID) string) bool {
	if len(moved) == 0 {
		return false
	}
	names := map[string]bool{}
	for _, id := range moved {
		names[name.Fold(bare(full(id)))] = true
	}
	return slices.ContainsFunc(refers, func(id ID) bool { return names[name.Fold(bare(full(id)))] })
}

// added are the names of the networks and windows of a frame that one before it did not
// have, folded.
func added(before, now *situation.Frame) []string {
	var names []string
	for _, n := range now.Networks[len(before.Networks):] {
		names = append(names, name.Fold(n.Name))
	}
	for _, w := range now.Windows[len(before.Windows):] {
		names = append(names, name.Fold(w.Name))
	}
	return names
}

// misses says whether a system asks for one of some names of networks and windows,
// which led to nothing so far.
func (s *System) misses(names []string) bool {
	if s.Site.AllNetworks && len(names) > 0 {
		return true
	}
	return len(names) > 0 && slices.ContainsFunc(s.Site.Findings, func(f finding.Finding) bool {
		return f.Code == finding.UnknownName &&
			slices.ContainsFunc(f.Names, func(n string) bool { return slices.Contains(names, name.Fold(n)) })
	})
}

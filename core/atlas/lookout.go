package atlas

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
)

// lookout is what a system, with all that stands in front of it, looks at in a
// user: two users who are alike in it are answered alike, but for the paths.
type lookout struct {
	atlas      *Atlas
	attributes []string // whose values matter
	required   []string // of which it matters whether there is a value
	crowds     []*gate.Crowd
	heeds      []gate.Heed
	claims     map[[3]string]bool // by party, claim and value
	lines      bool               // of what is shown, it matters whether there is any
}

// lookout is what a system looks at for one point, or, without one, for
// anything; with lines, of what is shown it matters only whether there is any.
func (a *Atlas) lookout(s *System, p gate.Point, lines bool) *lookout {
	l := &lookout{atlas: a, attributes: []string{"ACTIVE", "EXPIRES"}, claims: map[[3]string]bool{}, lines: lines}
	l.look(s, p)
	slices.Sort(l.attributes)
	l.attributes = slices.Compact(l.attributes)
	return l
}

// look adds what a system looks at, with all that stands in front of it.
func (l *lookout) look(s *System, p gate.Point) {
	l.required = append(l.required, s.requires...)
	for i := range s.front {
		l.front(&s.front[i])
	}
	l.gate(s, p)
}

// gate adds what the gate of a system looks at by itself.
func (l *lookout) gate(s *System, p gate.Point) {
	if heedful, ok := s.Gate.(gate.Heedful); ok {
		heed := heedful.Heeds(l.atlas.Book, p)
		l.attributes = append(l.attributes, heed.Attributes...)
		l.heeds = append(l.heeds, heed)
		if l.lines {
			l.required = append(l.required, heed.Shown...)
		} else {
			l.attributes = append(l.attributes, heed.Shown...)
		}
	}
	crowds := s.Site.Roster.All()
	if p != nil {
		crowds = s.Site.Roster.Some(p.Lines())
	}
	for _, c := range crowds {
		l.crowds = append(l.crowds, c)
		for _, ref := range c.Claims() {
			l.claim(ref)
		}
	}
}

// claim adds what a claim that a line looks at depends on.
func (l *lookout) claim(ref gate.ClaimRef) {
	key := [3]string{ref.Party.Name, ref.Claim, ref.Is}
	if l.claims[key] {
		return
	}
	l.claims[key] = true
	system, party, _ := strings.Cut(ref.Party.Name, "/")
	s, err := l.atlas.System(system)
	if err != nil {
		return
	}
	if p, err := s.Gate.At(party, "claim "+ref.Claim+"="+ref.Is); err == nil {
		l.gate(s, p)
	}
}

func (l *lookout) front(f *front) {
	for i := range f.any {
		l.front(&f.any[i])
	}
	if f.point != nil {
		l.look(f.system, f.point)
	}
}

// sorted begins a sorting of the users by what is looked at.
func (l *lookout) sorted() *directory.Sorting {
	s := l.atlas.Book.Sorted(l.attributes)
	l.sort(s)
	return s
}

// sort sorts users further by what is looked at, but for the attributes.
func (l *lookout) sort(s *directory.Sorting) {
	book := l.atlas.Book
	for _, attribute := range l.required {
		s.Split(book, nil, book.Without(attribute))
	}
	for _, c := range l.crowds {
		s.Split(book, c.Groups, c.Users)
		s.Split(book, c.Except().Groups, c.Except().Users)
	}
	for _, h := range l.heeds {
		for _, g := range h.Groups {
			s.Split(book, []directory.GroupID{g}, nil)
		}
		for _, groups := range h.ShownGroups {
			if l.lines {
				s.Split(book, groups, nil)
				continue
			}
			for _, g := range groups {
				s.Split(book, []directory.GroupID{g}, nil)
			}
		}
		for _, users := range h.Users {
			s.Split(book, nil, users)
		}
		for _, u := range h.Apart {
			s.Split(book, nil, []directory.UserID{u})
		}
	}
}

// looks lists a system and all that it needs answers from.
func (a *Atlas) looks(s *System) []*System {
	all := []*System{s}
	for i := 0; i < len(all); i++ {
		for _, ref := range a.leans(all[i]) {
			if other, err := a.System(ref.Name); err == nil && !slices.Contains(all, other) {
				all = append(all, other)
			}
		}
	}
	return all
}

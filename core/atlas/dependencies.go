package atlas

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/rule"
)

// dependencies is what a system, with all that stands in front of it, looks at in a
// user: two users who are alike in it are answered alike, but for the paths.
type dependencies struct {
	atlas      *Atlas
	attributes []string // whose values matter
	required   []string // of which it matters whether there is a value
	rules      []*rule.Rule
	depends    []rule.Dependencies
	claims     map[[3]string]bool // by party, claim and value
	lines      bool               // of what is shown, it matters whether there is any
}

// dependencies is what a system looks at for one point, or, without one, for
// anything; with lines, of what is shown it matters only whether there is any.
func (a *Atlas) dependencies(s *System, p rule.Permission, lines bool) *dependencies {
	l := &dependencies{atlas: a, attributes: []string{"ACTIVE", "EXPIRES"}, claims: map[[3]string]bool{}, lines: lines}
	l.look(s, p)
	slices.Sort(l.attributes)
	l.attributes = slices.Compact(l.attributes)
	return l
}

// look adds what a system looks at, with all that stands in front of it.
func (l *dependencies) look(s *System, p rule.Permission) {
	l.required = append(l.required, s.requires...)
	for i := range s.front {
		l.front(&s.front[i])
	}
	l.gate(s, p)
}

// gate adds what the gate of a system looks at by itself.
func (l *dependencies) gate(s *System, p rule.Permission) {
	var depends rule.Dependencies
	rules := s.Site.Index.All()
	if p == nil {
		depends = s.Gate.Depends(l.atlas.Book)
	} else {
		depends, rules = p.Depends(l.atlas.Book), s.Site.Index.Some(p.Lines())
	}
	l.attributes = append(l.attributes, depends.Attributes...)
	l.depends = append(l.depends, depends)
	if l.lines {
		l.required = append(l.required, depends.Shown...)
	} else {
		l.attributes = append(l.attributes, depends.Shown...)
	}
	l.rules = append(l.rules, rules...)
	for _, r := range rules {
		for _, c := range r.Claims {
			l.claim(c)
		}
	}
}

// claim adds what a claim that a line looks at depends on.
func (l *dependencies) claim(c *rule.Claim) {
	key := [3]string{c.Party, c.Claim, c.Is}
	if l.claims[key] || c.By == nil {
		return
	}
	l.claims[key] = true
	system, _, _ := strings.Cut(c.Party, "/")
	if s, err := l.atlas.System(system); err == nil {
		l.gate(s, c.By)
	}
}

func (l *dependencies) front(f *front) {
	for i := range f.any {
		l.front(&f.any[i])
	}
	if f.point != nil {
		l.look(f.system, f.point)
	}
}

// partition begins a partition of the users by what is looked at.
func (l *dependencies) partition() *directory.Partition {
	s := l.atlas.Book.Partitioned(l.attributes)
	l.sort(s)
	return s
}

// sort sorts users further by what is looked at, but for the attributes.
func (l *dependencies) sort(s *directory.Partition) {
	book := l.atlas.Book
	for _, attribute := range l.required {
		s.Split(book, nil, book.Without(attribute))
	}
	for _, c := range l.rules {
		s.Split(book, c.Groups, c.Users)
		s.Split(book, c.Except.Groups, c.Except.Users)
	}
	for _, h := range l.depends {
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

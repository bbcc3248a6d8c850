package plain

import (
	"slices"
	"strings"
	"time"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/licences"
	"gatemap/core/name"
	"gatemap/core/rule"
)

func licencePoints(d *licences.Document) (permissions []Permission) {
	for _, p := range d.Products {
		for _, f := range p.Features {
			permissions = append(permissions, Permission{p.Name.Value, f.Name})
		}
	}
	return permissions
}

// features are those of a product that a user's mappings give.
func (s *system) features(q *asked, d *licences.Document, p *licences.Product) map[string]bool {
	has := map[string]bool{}
	for _, i := range mine(s, q, d.Mappings, func(m *licences.Mapping) *gate.Who { return &m.Who }) {
		m := &d.Mappings[i]
		if m.Product.Name != p.Name.Value {
			continue
		}
		for _, f := range p.Features {
			off := false
			for _, w := range m.Without {
				off = off || w.Name == f.Name
			}
			has[f.Name] = has[f.Name] || !off
		}
	}
	return has
}

// licences: section 5.2.
func (s *system) licences(q *asked, d *licences.Document, p Permission) rule.State {
	for i := range d.Products {
		product := &d.Products[i]
		if product.Name.Value != p.Object || product.Off {
			continue
		}
		has := s.features(q, d, product)
		if !has[p.Right] {
			return rule.None
		}
		needs := map[string][]string{}
		for _, f := range product.Features {
			for _, n := range f.Needs {
				needs[f.Name] = append(needs[f.Name], n.Name)
			}
		}
		var works func(f string) bool
		works = func(f string) bool {
			return has[f] && !slices.ContainsFunc(needs[f], func(n string) bool { return !works(n) })
		}
		if !works(p.Right) {
			return rule.Shut
		}
		return s.seat(q, d, product)
	}
	return rule.None
}

// seat: those in front in the line, while they are there, have the seats.
func (s *system) seat(q *asked, d *licences.Document, p *licences.Product) rule.State {
	if p.Seats == nil {
		return rule.Open
	}
	var before []directory.Instant // when those in front end
	for _, u := range s.line(d, p) {
		if u == q.User {
			break
		}
		before = append(before, u.Expires)
	}
	there := func(at time.Time) int {
		n := 0
		for _, end := range before {
			if end.IsZero() || at.Before(end.Time) {
				n++
			}
		}
		return n
	}
	if at := q.sit.At; !at.IsZero() {
		ended := !q.Expires.IsZero() && !at.Before(q.Expires.Time)
		if ended || there(at) < *p.Seats {
			return rule.Open
		}
		return rule.Shut
	}
	if len(before) < *p.Seats {
		return rule.Open
	}
	for _, end := range before {
		own := q.Expires.IsZero() || end.Before(q.Expires.Time)
		if !end.IsZero() && own && there(end.Time) < *p.Seats {
			return rule.Depends
		}
	}
	return rule.Shut
}

// line lists the active holders of a product in the order of seating; it is the
// same for all, so that it is kept.
func (s *system) line(d *licences.Document, p *licences.Product) []*User {
	if known, ok := s.lines[p]; ok {
		return known
	}
	type holder struct {
		user          *User
		direct, first int
	}
	var holders []holder
	for _, u := range s.world.all {
		q := &asked{User: u, in: s.world.groupsOf(u), mine: map[any][]int{}}
		h := holder{u, 1, -1}
		for i := range d.Mappings {
			m := &d.Mappings[i]
			if m.Product.Name != p.Name.Value || !u.IsActive() || !s.has(q, &m.Who) {
				continue
			}
			if h.first < 0 {
				h.first = i
			}
			for _, r := range m.Users {
				if s.world.User(r.Name) == u {
					h.direct = 0
				}
			}
		}
		if h.first >= 0 {
			holders = append(holders, h)
		}
	}
	slices.SortFunc(holders, func(a, b holder) int {
		if a.direct != b.direct {
			return a.direct - b.direct
		}
		if a.first != b.first {
			return a.first - b.first
		}
		return strings.Compare(name.Fold(a.user.FullName()), name.Fold(b.user.FullName()))
	})
	var users []*User
	for _, h := range holders {
		users = append(users, h.user)
	}
	if s.lines == nil {
		s.lines = map[*licences.Product][]*User{}
	}
	s.lines[p] = users
	return users
}

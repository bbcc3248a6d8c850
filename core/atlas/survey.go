package atlas

import (
	"gatemap/core/directory"
	"gatemap/core/parallel"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Class is a set of users who hold alike in one system.
type Class struct {
	Users []directory.UserID
	// Held are the entitlements of each of them, in whatever state but none, by
	// object and right: with needs, reasons and the routes of the first of the
	// users; or, where the survey is brief, with their states alone.
	Held []rule.Entitlement
}

// Depth is how much a survey tells.
type Depth uint8

// Whole tells everything, and Brief the states alone. Lines tells everything of
// the first of those who come to the same by the same lines, whatever claims
// show of each.
const (
	Whole Depth = iota
	Brief
	Lines
)

// Survey computes everything that everyone holds in a situation, system by
// system: visit gets the classes of users who hold anything. It is called for
// different systems at the same time.
func (a *Atlas) Survey(f *situation.Facts, depth Depth, visit func(*System, []Class)) {
	parallel.For(len(a.Systems), 1, func(from, to int) {
		q := a.Brief(f)
		q.Brief = depth == Brief
		for _, s := range a.Systems[from:to] {
			visit(s, a.classes(q, s, depth))
		}
	})
}

// Classes is a survey of one system, by lines, of those users alone about whom it is worth
// asking: worth is asked once for users who are alike.
func (a *Atlas) Classes(f *situation.Facts, s *System, worth func(*rule.Question) bool) []Class {
	return a.classesOf(a.Unturned(f), s, Lines, worth)
}

func (a *Atlas) classes(q *rule.Question, s *System, depth Depth) []Class {
	return a.classesOf(q, s, depth, func(*rule.Question) bool { return true })
}

func (a *Atlas) classesOf(q *rule.Question, s *System, depth Depth, worth func(*rule.Question) bool) []Class {
	sorting := a.lookout(s, nil, depth == Lines).sorted()
	kinds := sorting.Kinds()
	sorting.Drop()
	var classes []Class
	for kind := range kinds.Count() {
		users := kinds.Users(kind)
		if q.Turn(users[0]); !worth(q) {
			continue
		}
		if held := a.In(q, s); len(held) > 0 {
			classes = append(classes, Class{users, held})
		}
	}
	return classes
}

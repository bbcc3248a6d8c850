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

// Kinds visits users who come to different things in one system, or by different lines: of
// those who are alike, one.
func (a *Atlas) Kinds(f *situation.Facts, s *System, visit func(*rule.Question)) {
	a.kinds(a.Unturned(f), s, true, func(q *rule.Question, _ []directory.UserID) { visit(q) })
}

func (a *Atlas) classes(q *rule.Question, s *System, depth Depth) (classes []Class) {
	a.kinds(q, s, depth == Lines, func(q *rule.Question, users []directory.UserID) {
		if held := a.In(q, s); len(held) > 0 {
			classes = append(classes, Class{users, held})
		}
	})
	return classes
}

// kinds visits the users who are alike to a system, with a question about the first of them.
func (a *Atlas) kinds(q *rule.Question, s *System, lines bool, visit func(*rule.Question, []directory.UserID)) {
	partition := a.dependencies(s, nil, lines).partition()
	kinds := partition.Kinds()
	partition.Drop()
	for kind := range kinds.Count() {
		users := kinds.Users(kind)
		q.Turn(users[0])
		visit(q, users)
	}
}

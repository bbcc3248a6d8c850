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

// Kinds turns to users who come to different things in the system, or by different lines: of
// those who are alike, to one.
func (l *Looks) Kinds(visit func()) {
	partition := l.listing.atlas.dependencies(l.listing.system, nil, true).partition()
	firsts, _ := partition.Firsts()
	partition.Drop()
	for _, u := range firsts {
		l.Turn(u)
		visit()
	}
}

func (a *Atlas) classes(q *rule.Question, s *System, depth Depth) (classes []Class) {
	partition := a.dependencies(s, nil, depth == Lines).partition()
	kinds := partition.Kinds()
	partition.Drop()
	for kind := range kinds.Count() {
		users := kinds.Users(kind)
		q.Turn(users[0])
		if held := a.In(q, s); len(held) > 0 {
			classes = append(classes, Class{users, held})
		}
	}
	return classes
}

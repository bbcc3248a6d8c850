package atlas

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/parallel"
	"gatemap/core/situation"
)

// Class is a set of users who hold alike in one system.
type Class struct {
	Users []directory.UserID
	// Held are the entitlements of each of them, in whatever state but none, by
	// object and right: with needs, reasons and the routes of the first of the
	// users; or, where the survey is brief, with their states alone.
	Held []gate.Entitlement
}

// Survey works out everything that everyone holds in a situation, system by
// system: visit gets the classes of users who hold anything. It is called for
// different systems at the same time.
func (a *Atlas) Survey(f *situation.Facts, brief bool, visit func(*System, []Class)) {
	parallel.For(len(a.Systems), 1, func(from, to int) {
		q := a.Brief(f)
		q.Brief = brief
		for _, s := range a.Systems[from:to] {
			visit(s, a.classes(q, s))
		}
	})
}

func (a *Atlas) classes(q *gate.Question, s *System) []Class {
	l := a.lookout(s, nil)
	var classes []Class
	numbers := map[string]int{}
	var key []byte
	for u := range l.named(0, len(l.touched)) {
		q.Turn(u)
		key = l.key(key[:0], q)
		n, known := numbers[string(key)]
		if !known {
			n = len(classes)
			numbers[string(key)] = n
			classes = append(classes, Class{Held: a.In(q, s)})
		}
		classes[n].Users = append(classes[n].Users, u)
	}
	for kind := range l.kinds.Count() {
		if rest := slices.Collect(l.rest(kind)); len(rest) > 0 {
			q.Turn(rest[0])
			classes = append(classes, Class{rest, a.In(q, s)})
		}
	}
	kept := classes[:0]
	for _, c := range classes {
		if len(c.Held) > 0 {
			kept = append(kept, c)
		}
	}
	return kept
}

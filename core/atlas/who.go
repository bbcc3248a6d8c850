package atlas

import (
	"gatemap/core/directory"
	"gatemap/core/parallel"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Holders are those who hold one point of a system, in whatever state but none.
type Holders struct {
	States []rule.State // by user
	Count  int

	atlas    *Atlas
	system   *System
	point    rule.Permission
	question *rule.Question
}

// Users yields them, in the order of names.
func (h *Holders) Users(yield func(directory.UserID) bool) {
	for u := range h.atlas.Book.AllUsers {
		if h.States[u] != rule.None && !yield(u) {
			return
		}
	}
}

// Entitlement says what a user has.
func (h *Holders) Entitlement(u directory.UserID) rule.Entitlement {
	h.question.Turn(u)
	return h.atlas.Decide(h.question, h.system, h.point)
}

// Who finds everyone who holds one point of a system, in whatever state but
// none. Users who are alike to it are answered once. What it gives belongs to one
// goroutine.
func (a *Atlas) Who(f *situation.Facts, s *System, p rule.Permission) *Holders {
	partition := a.dependencies(s, p, false).partition()
	defer partition.Drop()
	firsts, of := partition.Firsts()
	states := make([]rule.State, len(firsts))
	parallel.For(len(firsts), 64, func(from, to int) {
		q := a.Brief(f)
		for kind := from; kind < to; kind++ {
			q.Turn(firsts[kind])
			states[kind] = a.State(q, s, p)
		}
	})
	h := &Holders{States: make([]rule.State, len(of)), atlas: a, system: s, point: p, question: a.Unturned(f)}
	for u, kind := range of {
		if kind == directory.NoKind {
			continue
		}
		state := states[kind]
		h.States[u] = state
		if state != rule.None {
			h.Count++
		}
	}
	return h
}

// Unturned is a question about nobody yet, to be turned to users; there may be none.
func (a *Atlas) Unturned(f *situation.Facts) *rule.Question {
	return &rule.Question{Book: a.Book, Subject: &directory.Subject{}, Facts: f}
}

// Brief is a question for states alone, to be turned to users.
func (a *Atlas) Brief(f *situation.Facts) *rule.Question {
	return &rule.Question{Book: a.Book, Subject: &directory.Subject{}, Facts: f, Brief: true}
}

// State answers a brief question for one point.
func (a *Atlas) State(q *rule.Question, s *System, p rule.Permission) rule.State {
	own := p.State(q)
	if own == rule.None {
		return own
	}
	return min(own, a.account(q).State, s.around(q).State)
}

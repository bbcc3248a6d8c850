package atlas

import (
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/parallel"
	"gatemap/core/situation"
)

// Holders are those who hold one point of a system, in whatever state but none,
// in the order of names.
type Holders struct {
	Users  []directory.UserID
	States []gate.State // beside Users

	atlas  *Atlas
	system *System
	point  gate.Point
	facts  *situation.Facts
}

// Entitlement says what one of the holders has, by their place in Users.
func (h *Holders) Entitlement(i int) gate.Entitlement {
	return h.atlas.Decide(h.atlas.Question(h.Users[i], h.facts), h.system, h.point)
}

// Who lists everyone who holds one point of a system, in whatever state but
// none. Users who are alike to it are answered once.
func (a *Atlas) Who(f *situation.Facts, s *System, p gate.Point) *Holders {
	firsts, of := a.lookout(s, p, false).sorted().Firsts()
	states, counts := make([]gate.State, len(firsts)), make([]int, len(firsts))
	parallel.For(len(firsts), 64, func(from, to int) {
		q := a.Brief(f)
		for kind := from; kind < to; kind++ {
			q.Turn(firsts[kind])
			states[kind] = a.State(q, s, p)
		}
	})
	count := 0
	for _, kind := range of {
		counts[kind]++
	}
	for kind, state := range states {
		if state != gate.None {
			count += counts[kind]
		}
	}
	h := &Holders{atlas: a, system: s, point: p, facts: f}
	h.Users, h.States = make([]directory.UserID, 0, count), make([]gate.State, 0, count)
	for u, kind := range of {
		if state := states[kind]; state != gate.None {
			h.Users, h.States = append(h.Users, directory.UserID(u)), append(h.States, state)
		}
	}
	return h
}

// Brief is a question for states alone, to be turned to users.
func (a *Atlas) Brief(f *situation.Facts) *gate.Question {
	return &gate.Question{Book: a.Book, Subject: &directory.Subject{}, Facts: f, Brief: true}
}

// State answers a brief question for one point.
func (a *Atlas) State(q *gate.Question, s *System, p gate.Point) gate.State {
	own := p.Decide(q).State
	if own == gate.None {
		return own
	}
	return min(own, a.account(q).State, s.around(q).State)
}

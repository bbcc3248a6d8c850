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
	return h.atlas.decide(h.atlas.Question(h.Users[i], h.facts), h.system, h.point)
}

// piece is how many words of a bit for each user are worked on at a time.
const piece = 64

// Who lists everyone who holds one point of a system, in whatever state but
// none. Users whom no line of the system names are answered once for each kind.
func (a *Atlas) Who(f *situation.Facts, s *System, p gate.Point) *Holders {
	l := a.lookout(s, p)
	states := make([]gate.State, a.Book.Users())
	parallel.For(len(l.touched), piece, func(from, to int) {
		q := a.Brief(f)
		for u := range l.named(from, to) {
			q.Turn(u)
			states[u] = a.State(q, s, p)
		}
	})
	parallel.For(l.kinds.Count(), 16, func(from, to int) {
		q := a.Brief(f)
		for kind := from; kind < to; kind++ {
			a.rest(q, l, kind, s, p, states)
		}
	})
	h := &Holders{atlas: a, system: s, point: p, facts: f}
	count := 0
	for _, state := range states {
		if state != gate.None {
			count++
		}
	}
	h.Users, h.States = make([]directory.UserID, 0, count), make([]gate.State, 0, count)
	for u, state := range states {
		if state != gate.None {
			h.Users, h.States = append(h.Users, directory.UserID(u)), append(h.States, state)
		}
	}
	return h
}

// rest answers for the users of a kind whom no line names, by asking for the
// first.
func (a *Atlas) rest(q *gate.Question, l *lookout, kind int, s *System, p gate.Point, states []gate.State) {
	state, asked := gate.None, false
	for u := range l.rest(kind) {
		if !asked {
			q.Turn(u)
			state, asked = a.State(q, s, p), true
		}
		if state == gate.None {
			return
		}
		states[u] = state
	}
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

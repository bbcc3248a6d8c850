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
	l := a.lookout(s)
	states := make([]gate.State, a.Book.Users())
	parallel.For(len(l.touched), piece, func(from, to int) {
		q := a.brief(f)
		for u := range l.named(from, to) {
			q.Turn(u)
			states[u] = a.state(q, s, p)
		}
	})
	q := a.brief(f)
	for kind := range l.kinds.Count() {
		rest := l.rest(kind)
		if len(rest) == 0 {
			continue
		}
		q.Turn(rest[0])
		if state := a.state(q, s, p); state != gate.None {
			for _, u := range rest {
				states[u] = state
			}
		}
	}
	h := &Holders{atlas: a, system: s, point: p, facts: f}
	for u, state := range states {
		if state != gate.None {
			h.Users, h.States = append(h.Users, directory.UserID(u)), append(h.States, state)
		}
	}
	return h
}

// brief is a question for states alone, to be turned to users.
func (a *Atlas) brief(f *situation.Facts) *gate.Question {
	return &gate.Question{Book: a.Book, Subject: &directory.Subject{}, Facts: f, Brief: true}
}

// state answers a brief question.
func (a *Atlas) state(q *gate.Question, s *System, p gate.Point) gate.State {
	own := p.Decide(q).State
	if own == gate.None {
		return own
	}
	return min(own, a.account(q).State, s.around(q).State)
}

package gate

import (
	"gatemap/core/situation"
)

// Walk goes through an ordered list in which the first match decides
// (docs/model.md section 2).
type Walk struct {
	q                         *Question
	winner                    int
	further                   []int // what may decide besides the winner, of a question that is not brief
	allowed, refused, decided bool
	stopped, waiting          bool           // there are stops; and pending ones
	ways                      situation.Ways // by the permitting lines so far
	passed                    situation.Ways // how the refusing lines so far are passed
	stops                     []Stop
	pending                   []Stop // refusals that count once a permitting line follows
}

// FirstMatch begins a walk.
func FirstMatch(q *Question) Walk { return Walk{q: q, winner: -1, passed: situation.Anyway} }

// Meet comes to the next line whose who names the subject; all conditions in
// when must hold, and index is how the caller calls the line. more is false
// once no line that follows can matter.
func (w *Walk) Meet(line *Line, permit bool, when []*situation.Condition, index int) (more bool) {
	if permit {
		w.permit()
	}
	if w.decided {
		return w.waiting
	}
	truth := situation.True
	for _, c := range when {
		truth = min(truth, c.Holds(w.q.Facts))
	}
	if w.q.Passes != nil {
		w.q.Note(line, truth, when...)
	}
	switch {
	case truth == situation.False && permit:
		w.stopped = true
		if !w.q.Brief {
			w.stops = append(w.stops, unmet(line, when, w.q)...)
		}
		return true
	case truth == situation.False:
		return true
	}
	if !w.q.Brief {
		w.note(permit, truth, when)
	}
	if permit {
		w.allowed = true
		if w.winner < 0 {
			w.winner = index
		} else if !w.q.Brief {
			w.further = append(w.further, index)
		}
	} else {
		w.refused, w.waiting = true, true
		if !w.q.Brief {
			w.pending = append(w.pending, Stop{ByRule, line.Name, ""})
		}
	}
	w.decided = truth == situation.True
	return !w.decided || w.waiting && !w.allowed
}

// permit says that a permitting line comes: the refusals before it are what
// shuts it.
func (w *Walk) permit() {
	w.stopped = w.stopped || w.waiting
	w.stops, w.pending, w.waiting = append(w.stops, w.pending...), nil, false
}

// End comes to the end of the list with its default. winner is the index of the
// first permitting line that may decide; -1 if there is none.
func (w *Walk) End(permit bool) (v Verdict, winner int) {
	if permit {
		w.permit()
	}
	if !w.decided {
		w.allowed, w.refused = w.allowed || permit, w.refused || !permit
	}
	switch {
	case w.allowed && w.refused:
		if permit && !w.decided {
			w.ways = w.ways.Or(w.passed)
		}
		return DependsOn(w.ways), w.winner
	case w.allowed:
		return Opened, w.winner
	case w.stopped:
		return Verdict{State: Shut, ShutBy: union(nil, w.stops)}, -1
	}
	return Verdict{}, -1
}

// Further are the indices of the permitting lines that may decide besides the winner,
// which a brief question does not keep; lastly says whether a default that permits may.
func (w *Walk) Further(permit bool) (lines []int, lastly bool) {
	return w.further, permit && !w.decided
}

// unmet is what the situation contradicts of a permitting line.
func unmet(line *Line, when []*situation.Condition, q *Question) []Stop {
	var stops []Stop
	for _, c := range when {
		for _, n := range c.Unmet(q.Facts) {
			stops = append(stops, Stop{ByCondition, line.Name, string(n)})
		}
	}
	return stops
}

// note notes how a permitting line is reached and holds, or a refusing one is passed.
func (w *Walk) note(permit bool, truth situation.Truth, when []*situation.Condition) {
	if truth == situation.True {
		if permit {
			w.ways = w.ways.Or(w.passed)
		}
		return
	}
	holds, not := situation.Anyway, situation.Ways{}
	for _, c := range when {
		if c.Holds(w.q.Facts) == situation.Unknown {
			holds, not = holds.And(c.Ways(w.q.Facts)), not.Or(c.Opposites(w.q.Facts))
		}
	}
	if permit {
		w.ways = w.ways.Or(w.passed.And(holds))
	} else {
		w.passed = w.passed.And(not)
	}
}

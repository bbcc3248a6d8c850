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
	stopped, waiting          bool // there are stops; and pending ones
	needs                     []situation.Need
	stops                     []Stop
	pending                   []Stop // refusals that count once a permitting line follows
}

// FirstMatch begins a walk.
func FirstMatch(q *Question) Walk { return Walk{q: q, winner: -1} }

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
	case truth == situation.Unknown && !w.q.Brief:
		w.needs = append(w.needs, wanted(permit, when, w.q)...)
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
		return Verdict{State: Depends, Needs: union(nil, w.needs)}, w.winner
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

// wanted is what must be so for a permitting line to hold, or for a refusing
// one not to.
func wanted(permit bool, when []*situation.Condition, q *Question) []situation.Need {
	var needs []situation.Need
	for _, c := range when {
		if permit {
			needs = append(needs, c.Needs(q.Facts)...)
		} else {
			needs = append(needs, c.Opposites(q.Facts)...)
		}
	}
	return needs
}

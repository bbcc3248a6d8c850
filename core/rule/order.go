package rule

import "gatemap/core/situation"

// walk goes through an ordered list in which the first match decides
// (docs/model.md section 2).
type walk struct {
	q                         *Question
	allowed, refused, decided bool
	stopped, waiting          bool // there are stops; and pending ones
	*told                          // of a question that is not brief
}

// told is what is to be told of a walk.
type told struct {
	may     []*Rule        // the permitting lines that may decide
	ways    situation.Ways // by the permitting lines so far
	passed  situation.Ways // how the refusing lines so far are passed
	stops   []Stop
	pending []Stop // refusals that count once a permitting line follows
}

// meet comes to the next line that is for the subject. more is false once no line that
// follows can matter.
func (w *walk) meet(r *Rule) (more bool) {
	permit := r.Effect == Giving
	if permit {
		w.permit()
	}
	if w.decided {
		return w.waiting
	}
	truth := r.holds(w.q)
	switch {
	case truth == situation.False && permit:
		w.stopped = true
		if w.told != nil {
			w.stops = append(w.stops, r.unmet(w.q)...)
		}
		return true
	case truth == situation.False:
		return true
	}
	if w.told != nil {
		w.note(r, permit, truth)
	}
	if permit {
		w.allowed = true
	} else {
		w.refused, w.waiting = true, true
		if w.told != nil {
			w.pending = append(w.pending, Stop{ByRule, r.Name, ""})
		}
	}
	w.decided = truth == situation.True
	return !w.decided || w.waiting && !w.allowed
}

// permit says that a permitting line comes: the refusals before it are what
// shuts it.
func (w *walk) permit() {
	if w.waiting {
		w.stopped, w.waiting = true, false
		if w.told != nil {
			w.stops, w.pending = append(w.stops, w.pending...), nil
		}
	}
}

// end comes to the end of the list with its default.
func (w *walk) end(permit bool) Verdict {
	if permit {
		w.permit()
	}
	if !w.decided {
		w.allowed, w.refused = w.allowed || permit, w.refused || !permit
	}
	switch {
	case w.allowed && w.refused && w.told == nil:
		return Verdict{State: Depends}
	case w.allowed && w.refused:
		if permit && !w.decided {
			w.ways = w.ways.Or(w.passed)
		}
		return DependsOn(w.ways)
	case w.allowed:
		return Opened
	case w.stopped && w.told == nil:
		return Verdict{State: Shut}
	case w.stopped:
		return Verdict{State: Shut, ShutBy: union(nil, w.stops)}
	}
	return Verdict{}
}

// note notes how a permitting line is reached and holds, or a refusing one is passed.
func (w *walk) note(r *Rule, permit bool, truth situation.Truth) {
	if permit {
		w.may = append(w.may, r)
	}
	switch {
	case truth == situation.True && permit:
		w.ways = w.ways.Or(w.passed)
	case truth == situation.True:
	case permit:
		w.ways = w.ways.Or(w.passed.And(r.When.Ways(w.q.Facts)))
	default:
		w.passed = w.passed.And(r.When.Opposites(w.q.Facts))
	}
}

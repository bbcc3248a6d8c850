package rule

import "gatemap/core/situation"

// holds is whether the condition of a rule that is for the subject holds, which is noted.
func (r *Rule) holds(q *Question) situation.Truth {
	truth := r.When.Holds(q.Facts)
	if q.Passes != nil {
		q.Note(r, truth)
	}
	return truth
}

// unmet is what the situation contradicts of a rule that gives.
func (r *Rule) unmet(q *Question) []Stop {
	var stops []Stop
	for _, n := range r.When.Unmet(q.Facts) {
		stops = append(stops, Stop{ByCondition, r.Name, string(n)})
	}
	return stops
}

// Gives is the verdict of a rule that gives: under its condition.
func (r *Rule) Gives(q *Question) Verdict {
	switch r.holds(q) {
	case situation.True:
		return Opened
	case situation.Unknown:
		if q.Brief {
			return Verdict{State: Depends}
		}
		return DependsOn(r.When.Ways(q.Facts))
	}
	if q.Brief {
		return Verdict{State: Shut}
	}
	return Verdict{State: Shut, ShutBy: r.unmet(q)}
}

// takes is the verdict of a rule that takes: shut where its condition holds, open where it
// does not, and where it is unknown the opposite of it is needed.
func (r *Rule) takes(q *Question) Verdict {
	switch r.holds(q) {
	case situation.True:
		return q.ShutFor(r.Reason, r.Name, "")
	case situation.Unknown:
		if q.Brief {
			return Verdict{State: Depends}
		}
		return DependsOn(r.When.Opposites(q.Facts))
	}
	return Opened
}

// asks is the verdict of a rule that asks for something: that it is met, or that the rule's
// condition does not hold (docs/model.md section 5.9).
func (r *Rule) asks(q *Question) Verdict {
	matches := r.holds(q)
	q.asking(r)
	if matches == situation.False {
		return Opened
	}
	met, verdict := situation.True, Opened
	for i := range r.Then {
		c := &r.Then[i]
		truth := c.Holds(q.Facts)
		met = min(met, truth)
		switch {
		case q.Brief || truth == situation.True:
		case truth == situation.Unknown:
			verdict = verdict.And(DependsOn(c.Ways(q.Facts)))
		default:
			verdict = verdict.And(ShutFor(r.Reason, r.Name, string(c.Unmet(q.Facts)[0])))
		}
	}
	switch {
	case met == situation.True:
		return Opened
	case q.Brief && met == situation.False && matches == situation.True:
		return Verdict{State: Shut}
	case q.Brief:
		return Verdict{State: Depends}
	case matches == situation.True:
		return verdict
	}
	return DependsOn(verdict.If.Or(r.When.Opposites(q.Facts)))
}

// watch tells what a rule that is only watched would have done.
func (r *Rule) watch(q *Question, e *Entitlement) {
	alone := r.takes
	if r.Then != nil {
		alone = r.asks
	}
	v := alone(q)
	q.watching(r)
	if r.When.Holds(q.Facts) != situation.False {
		e.Watch = append(e.Watch, Watch{Policy: r.Name, Would: r.Would, State: v.State})
	}
}

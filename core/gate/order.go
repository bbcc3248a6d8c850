package gate

import (
	"gatemap/core/situation"
)

// Rule is one line of an ordered list, for a question whose subject it names.
type Rule struct {
	Line   Line
	Permit bool
	When   []*situation.Condition // all must hold
}

func (r *Rule) holds(f *situation.Facts) situation.Truth {
	least := situation.True
	for _, c := range r.When {
		least = min(least, c.Holds(f))
	}
	return least
}

// FirstMatch walks an ordered list in which the first match decides
// (docs/model.md section 2). The rules are those whose who names the subject,
// in order; permit is the default at the end of the list. winner is the first
// permitting rule that may decide; -1 where there is none.
func FirstMatch(q *Question, rules []Rule, permit bool) (v Verdict, winner int) {
	winner = -1
	var allowed, refused bool
	decided := len(rules) // where a rule surely decides
	var needs []situation.Need
	var stops []Stop
	for i := range rules {
		r := &rules[i]
		truth := r.holds(q.Facts)
		if truth == situation.False {
			if r.Permit {
				stops = append(stops, unmet(r, q)...)
			}
			continue
		}
		if truth == situation.Unknown {
			needs = append(needs, wanted(r, q)...)
		}
		if r.Permit {
			allowed = true
			if winner < 0 {
				winner = i
			}
		} else {
			refused = true
			if permitsAfter(rules, i, permit) {
				stops = append(stops, Stop{ByRule, r.Line.Name, ""})
			}
		}
		if truth == situation.True {
			decided = i
			break
		}
	}
	if decided == len(rules) {
		allowed, refused = allowed || permit, refused || !permit
	}
	switch {
	case allowed && refused:
		return Verdict{State: Depends, Needs: union(nil, needs)}, winner
	case allowed:
		return Opened, winner
	case len(stops) > 0:
		return Verdict{State: Shut, ShutBy: union(nil, stops)}, -1
	}
	return Verdict{}, -1
}

func permitsAfter(rules []Rule, at int, permit bool) bool {
	for i := at + 1; i < len(rules); i++ {
		if rules[i].Permit {
			return true
		}
	}
	return permit
}

// unmet is what the situation contradicts of a permitting rule.
func unmet(r *Rule, q *Question) []Stop {
	var stops []Stop
	for _, c := range r.When {
		for _, n := range c.Unmet(q.Facts) {
			stops = append(stops, Stop{ByCondition, r.Line.Name, string(n)})
		}
	}
	return stops
}

// wanted is what must be so for a permitting rule to hold, or for a refusing
// one not to.
func wanted(r *Rule, q *Question) []situation.Need {
	var needs []situation.Need
	for _, c := range r.When {
		if r.Permit {
			needs = append(needs, c.Needs(q.Facts)...)
		} else {
			needs = append(needs, c.Opposites(q.Facts)...)
		}
	}
	return needs
}

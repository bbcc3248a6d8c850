package rule

import (
	"gatemap/core/directory"
	"gatemap/core/situation"
)

// Decision is the rules about something, and how they combine. All that decides in a gate
// is one of these: lists in which the first match decides, denials that stand over what is
// allowed, the nearest of several locks, and limits and policies that all hold.
type Decision struct {
	Index *Index
	// Only, where it is not nil, must hold for there to be anything.
	Only Fact
	// Override, where it is not nil, comes before all rules.
	Override Override
	// Ordered are rules of which the first that matches decides.
	Ordered LineSet
	// Nearest are those that are about the thing itself, with those further away behind
	// them, in the place of ordered ones.
	Nearest *Level
	// Default is the route of those who are let in where no rule lets them in; nil: nobody is.
	Default []Route
	// Limits take from everyone whom they are for, whatever gives; Asks ask for what is in
	// their Then.
	Limits, Asks LineSet
	// Watched take or ask, and change nothing.
	Watched LineSet
	// Locks must all let through, too.
	Locks []Lock
	// Finish, where it is not nil, adds what goes along, whatever the state; brief questions
	// have nothing of it. by is the first ordered rule that may let in.
	Finish func(q *Question, state State, by *Rule) Extra

	number uint32 // in the listing of its gate, from 1
}

// Extra is what goes along with an entitlement.
type Extra struct {
	Breadth string
	Reply   map[string]any
	Claims  map[string][]string
}

// Level is the rules at one distance. The first distance at which a rule gives decides; at
// it, and before it, a denial stands over what is allowed (docs/model.md section 5.6). Gate
// types without a distance have one level.
type Level struct {
	Gives, Takes LineSet
	Next         *Level
}

// Override is something that decides before any rule.
type Override interface {
	// Says is what gives to the subject whatever the rules say, and what takes from it, if
	// something gives; Routes are the ways to what is given.
	Says(*Question) (gives, takes Verdict)
	Routes() []Route
	// Depends is what it looks at in a subject.
	Depends(*directory.Book) Dependencies
}

// Judge sets the state of an entitlement, its reasons and routes.
func (d *Decision) Judge(q *Question, e *Entitlement) {
	routes := e
	if q.Brief {
		routes = nil
	}
	e.Judge(d.verdict(q, routes))
}

// verdict is the verdict of a decision, and adds the routes to an entitlement, if there is one.
func (d *Decision) verdict(q *Question, e *Entitlement) Verdict {
	if d.Only != nil && !d.Only.Holds(q) {
		return Verdict{}
	}
	held := q.Held(d.Index)
	if e != nil {
		for r := range d.Index.about(q, held, d.Watched) {
			r.watch(q, e)
		}
	}
	var own, over Verdict
	if d.Override != nil {
		if own, over = d.Override.Says(q); own.State != None && e != nil {
			e.Routes = d.Override.Routes()
		}
	}
	switch {
	case own.State != None:
	case d.Nearest == nil && d.Default != nil && d.Ordered.Empty(): // as nearest, for less work
		if own = Opened; e != nil {
			e.Routes = d.Default
		}
	case d.Ordered.Empty():
		own = d.nearest(q, held, e)
	default:
		own = d.ordered(q, e)
	}
	if own.State == None {
		return own
	}
	if d.Override != nil {
		own = own.And(over)
	}
	for r := range d.Index.about(q, held, d.Limits) {
		own = own.And(r.takes(q))
	}
	for r := range d.Index.about(q, held, d.Asks) {
		own = own.And(r.asks(q))
	}
	for _, lock := range d.Locks {
		own = own.And(lock.Verdict(q))
	}
	return own
}

// nearest is the best of what the nearest rules give, unless one denies.
func (d *Decision) nearest(q *Question, held Held, e *Entitlement) Verdict {
	var allows Either
	denied, kept := Opened, Opened
	for l := d.Nearest; l != nil && allows.None(); l = l.Next {
		for r := range d.Index.about(q, held, l.Gives) {
			allows.Add(q, r.Gives(q))
			if q.Brief && allows.best == Open {
				break
			}
			if e != nil {
				e.Come(r.Routes(q))
			}
		}
		if allows.None() && d.Default == nil && l.Next == nil {
			break
		}
		d.takes(q, held, l.Takes, &denied, &kept)
	}
	if allows.None() {
		if d.Default == nil {
			return Verdict{}
		}
		allows.best = Open
		if e != nil {
			e.Routes = d.Default
		}
	}
	if denied.State == Shut {
		return denied
	}
	return allows.Verdict().And(kept)
}

// takes adds what some rules take: what is surely denied, and what is kept from being open.
func (d *Decision) takes(q *Question, held Held, some LineSet, denied, kept *Verdict) {
	for r := range d.Index.about(q, held, some) {
		if v := r.takes(q); v.State == Shut {
			*denied = denied.And(v)
		} else {
			*kept = kept.And(v)
		}
	}
}

// Match is what came of ordered rules.
type Match struct {
	Verdict Verdict
	May     []*Rule // those that may let in, in order; of a brief question there are none
	Default bool    // nothing before the end of the list is sure to decide
}

// Match walks the ordered rules.
func (d *Decision) Match(q *Question) Match {
	w := walk{q: q}
	if !q.Brief {
		w.told = &told{passed: situation.Anyway}
	}
	more := true
	for r := range d.Index.about(q, q.Held(d.Index), d.Ordered) {
		if !more {
			q.Overtaken(&r.Line)
		} else if more = w.meet(r); !more && q.Passes == nil {
			break
		}
	}
	m := Match{Verdict: w.end(d.Default != nil), Default: !w.decided}
	if w.told != nil {
		m.May = w.may
	}
	return m
}

// Giving are the ordered rules for the subject that let in, if they are come to.
func (d *Decision) Giving(q *Question) (giving []*Rule) {
	for r := range d.Index.about(q, q.Held(d.Index), d.Ordered) {
		if r.Effect == Giving {
			giving = append(giving, r)
		}
	}
	return giving
}

// ordered is what the first match says: by the rules that may let in, or, where nothing
// does, by those that would.
func (d *Decision) ordered(q *Question, e *Entitlement) Verdict {
	m := d.Match(q)
	if e == nil || m.Verdict.State == None {
		return m.Verdict
	}
	if len(m.May) > 0 {
		e.by = m.May[0]
	}
	by, byDefault := m.May, m.Default
	if m.Verdict.State == Shut {
		by, byDefault = d.Giving(q), true
	}
	for _, r := range by {
		e.Come(r.Routes(q))
	}
	if byDefault {
		e.Come(d.Default)
	}
	return m.Verdict
}

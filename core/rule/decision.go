package rule

import (
	"slices"
	"strings"

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
	// have nothing of it.
	// by is the first ordered rule that may let in.
	Finish func(q *Question, state State, by *Rule) Extra

	number int // in the listing of its gate, from 1
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

// Lock is something that must let through besides the rules of a decision.
type Lock interface {
	Verdict(*Question) Verdict
	// Lines are the rules that it looks at, and Depends is what it looks at besides.
	Lines() LineSet
	Depends(*directory.Book) Dependencies
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
		for n := range held.Among(d.Watched) {
			d.Index.rules[n].watch(q, e)
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
	case d.Nearest == nil && d.Default != nil && d.Ordered.Empty():
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
	for n := range held.Among(d.Limits) {
		if r := d.Index.rules[n]; r.fits(q) {
			own = own.And(r.takes(q))
		}
	}
	for n := range held.Among(d.Asks) {
		if r := d.Index.rules[n]; r.fits(q) {
			own = own.And(r.asks(q))
		}
	}
	for _, lock := range d.Locks {
		own = own.And(lock.Verdict(q))
	}
	return own
}

// deny is what is denied to the subject, wherever.
func (d *Decision) deny(q *Question) Verdict {
	denied, held := Opened, q.Held(d.Index)
	for l := d.Nearest; l != nil; l = l.Next {
		for n := range held.Among(l.Takes) {
			if r := d.Index.rules[n]; r.fits(q) {
				if v := r.takes(q); v.State == Shut {
					denied = denied.And(v)
				}
			}
		}
	}
	return denied
}

// nearest is the best of what the nearest rules give, unless one denies.
func (d *Decision) nearest(q *Question, held Held, e *Entitlement) Verdict {
	var allows Either
	denied, kept := Opened, Opened
	for l := d.Nearest; l != nil && allows.None(); l = l.Next {
		for n := range held.Among(l.Gives) {
			if r := d.Index.rules[n]; r.fits(q) {
				allows.Add(q, r.Gives(q))
				if q.Brief && allows.best == Open {
					break
				}
				if e != nil {
					e.Come(r.Routes(q))
				}
			}
		}
		if allows.None() && d.Default == nil && l.Next == nil {
			break
		}
		for n := range held.Among(l.Takes) {
			if r := d.Index.rules[n]; r.fits(q) {
				if v := r.takes(q); v.State == Shut {
					denied = denied.And(v)
				} else {
					kept = kept.And(v)
				}
			}
		}
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
	for n := range q.Held(d.Index).Among(d.Ordered) {
		r := d.Index.rules[n]
		if !r.fits(q) {
			continue
		}
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
	for n := range q.Held(d.Index).Among(d.Ordered) {
		if r := d.Index.rules[n]; r.Effect == Giving && r.fits(q) {
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
	if !r.fits(q) {
		return
	}
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

// Gives are the rules without any of which there is nothing to have: none, and false, where
// there is a default.
func (d *Decision) Gives() (gives LineSet, needed bool) {
	for n := range d.Ordered.All() {
		if d.Index.rules[n].Effect == Giving {
			gives.put(n)
		}
	}
	for l := d.Nearest; l != nil; l = l.Next {
		gives.Join(l.Gives)
	}
	return gives, d.Default == nil
}

// Lines are the rules that a decision looks at, with those that facts come from.
func (d *Decision) Lines() LineSet {
	var lines LineSet
	for _, s := range []LineSet{d.Ordered, d.Limits, d.Asks, d.Watched} {
		lines.Join(s)
	}
	for l := d.Nearest; l != nil; l = l.Next {
		lines.Join(l.Gives)
		lines.Join(l.Takes)
	}
	for _, lock := range d.Locks {
		lines.Join(lock.Lines())
	}
	for _, fact := range d.facts(lines) {
		lines.Join(fact.Lines())
	}
	return lines
}

// facts are those that a decision looks at, which has some lines.
func (d *Decision) facts(lines LineSet) (facts []Fact) {
	add := func(f Fact) {
		if f != nil && !slices.Contains(facts, f) {
			facts = append(facts, f)
		}
	}
	add(d.Only)
	for _, r := range d.Index.Some(lines) {
		add(r.Only)
	}
	return facts
}

// Depends is what a decision looks at in a subject besides whom its lines name.
func (d *Decision) Depends(book *directory.Book) Dependencies {
	var seen []Fact
	return d.depends(book, &seen)
}

// depends is Depends, but for facts that were seen before.
func (d *Decision) depends(book *directory.Book, seen *[]Fact) (all Dependencies) {
	for _, fact := range d.facts(d.Lines()) {
		if !slices.Contains(*seen, fact) {
			*seen = append(*seen, fact)
			all.Join(fact.Depends(book))
		}
	}
	for _, lock := range d.Locks {
		all.Join(lock.Depends(book))
	}
	if d.Override != nil {
		all.Join(d.Override.Depends(book))
	}
	return all
}

// Misses lists the rules that would give something to the subject, none of which does.
func (d *Decision) Misses(q *Question) (misses []Miss) {
	gives, _ := d.Gives()
	for _, r := range d.Index.Some(gives) {
		misses = r.Miss(q, misses)
	}
	return misses
}

// Miss adds a rule that is not for the subject, with what is lacking, if that can be had.
func (r *Rule) Miss(q *Question, to []Miss) []Miss {
	if lacks := r.Lacks(q); lacks != nil {
		return append(to, Miss{Mapping: r.Name, Lacks: lacks})
	}
	return to
}

// Door is a decision that must let through besides the rules of another. What shuts it is
// told as its own reason.
type Door struct {
	*Decision
	Reason   Reason
	At, None string // where nothing lets through: at what, and in which words
}

// Verdict is what the door says.
func (d *Door) Verdict(q *Question) Verdict { return d.Told(q, d.verdict(q, nil)) }

// Told is what the door says where its decision says something.
func (d *Door) Told(q *Question, v Verdict) Verdict {
	switch {
	case q.Brief:
		v.State = max(v.State, Shut)
		return v
	case v.State == None:
		return d.deny(q).And(ShutFor(d.Reason, d.At, d.None))
	case v.State != Shut:
		return v
	}
	told := Verdict{State: Shut}
	for _, s := range v.ShutBy {
		if s.Reason != d.Reason {
			s = Stop{d.Reason, s.At, strings.TrimSpace(string(s.Reason) + " " + s.Detail)}
		}
		told.ShutBy = append(told.ShutBy, s)
	}
	return told
}

// If is a lock that is a condition on the situation.
type If struct{ *Rule }

// Verdict is that of the condition.
func (c If) Verdict(q *Question) Verdict { return c.Gives(q) }

// Lines are none, and it depends on nobody.
func (If) Lines() LineSet                           { return LineSet{} }
func (If) Depends(*directory.Book) (d Dependencies) { return d }

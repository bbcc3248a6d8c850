package rule

import (
	"slices"
	"sync"

	"gatemap/core/directory"
)

// Listing is the permissions that a gate lists by name, by object and right.
type Listing struct {
	System    string
	Index     *Index
	all       []listed
	decisions []placed  // by number, from 1
	by        []LineSet // by rule: the decisions on what it lists
	lines     LineSet   // the rules that list something
	everyone  LineSet   // the decisions on what is listed for everyone
}

type listed struct {
	object, right string
	decision      uint32
}

// placed is a decision with the places of what it decides on.
type placed struct {
	*Decision
	at LineSet
}

// NewListing begins the listing of a system.
func NewListing(system string, index *Index) *Listing {
	return &Listing{System: system, Index: index, decisions: make([]placed, 1)}
}

// Entry is a permission of the system on which a decision decides, listed or not.
func (l *Listing) Entry(object, right string, d *Decision) *Entry {
	return &Entry{System: l.System, On: object, Right: right, Decision: d}
}

// Add adds a permission. What a decision decides on is listed for those for whom some rules
// are, or for everyone.
func (l *Listing) Add(object, right string, d *Decision, by LineSet, everyone bool) {
	if d.number == 0 {
		d.number = uint32(len(l.decisions))
		l.decisions = append(l.decisions, placed{Decision: d})
		l.list(d.number, by, everyone)
	}
	l.decisions[d.number].at.put(uint32(len(l.all)))
	l.all = append(l.all, listed{object, right, d.number})
}

func (l *Listing) list(decision uint32, by LineSet, everyone bool) {
	if everyone {
		l.everyone.put(decision)
	}
	for n := range by.All() {
		for len(l.by) <= int(n) {
			l.by = append(l.by, LineSet{})
		}
		l.by[n].put(decision)
		l.lines.put(n)
	}
}

// warm reads a little of all that Reach then looks at. A large map does not fit into the cache of a
// processor, which waits for many of these at once where nothing else comes in between. Nothing
// follows from what is read.
func (l *Listing) warm(q *Question, held, asked Held) {
	for n := range asked.All() {
		x := &l.decisions[n]
		q.warmed += x.number
		for at := range x.at.All() {
			q.touch(l.all[at].object)
			q.touch(l.all[at].right)
		}
	}
	for n := range asked.All() {
		d := l.decisions[n].Decision
		if d.Nearest != nil && len(d.Nearest.Gives.words) > 0 {
			q.warmed += d.Nearest.Gives.words[0].at
		}
	}
	for n := range held.Among(l.lines) {
		r := l.Index.rules[n]
		q.touch(r.Name)
		if len(r.Groups) > 0 && !r.When.Always() {
			q.warmed += uint32(r.Groups[0])
		}
	}
}

// Reach hands every permission that the subject holds, in whatever state but none, to add.
func (l *Listing) Reach(q *Question, add func(Entitlement)) {
	held := q.Held(l.Index)
	if l.everyone.Empty() && !held.Meets(l.lines) {
		return
	}
	asked := Held(q.Words(len(l.decisions)/64 + 1))
	asked.Join(l.everyone)
	for n := range held.Among(l.lines) {
		asked.Join(l.by[n])
	}
	l.warm(q, held, asked)
	if len(l.decisions) > len(l.all) {
		for n := range asked.All() {
			var e Entitlement
			l.decisions[n].answer(q, &e)
			l.add(&l.all[n-1], &e, add)
		}
		return
	}
	scratch := answers.Get().(*[]Entitlement)
	given, before := (*scratch)[:0], asked.before(q)
	places := Held(q.Words(len(l.all)/64 + 1))
	for n := range asked.All() {
		given = append(given, Entitlement{})
		l.decisions[n].answer(q, &given[len(given)-1])
		places.Join(l.decisions[n].at)
	}
	for at := range places.All() {
		x := &l.all[at]
		l.add(x, &given[asked.rank(before, x.decision)], add)
	}
	clear(given)
	*scratch = given
	answers.Put(scratch)
}

// answers are where those of one listing are kept, in the order of the decisions.
var answers = sync.Pool{New: func() any { return new([]Entitlement) }}

// Given is a permission with the rules that give it and those that take it away.
type Given struct {
	Object, Right string
	Gives, Takes  LineSet
	// Plain says that nothing else decides: whoever is given it by one rule and loses it by none has
	// it, in whatever order they stand.
	Plain bool
}

// Given hands on every permission with the rules that give it and those that take it away.
func (l *Listing) Given(visit func(Given)) {
	for i := range l.all {
		var gives, takes LineSet
		d := l.decision(i)
		for level := d.Nearest; level != nil; level = level.Next {
			gives.Join(level.Gives)
			takes.Join(level.Takes)
		}
		for n := range d.Ordered.All() {
			if r := d.Index.rules[n]; r.Effect == Giving {
				gives.Add(r)
			} else {
				takes.Add(r)
			}
		}
		takes.Join(d.Limits)
		plain := d.Only == nil && d.Override == nil && d.Default == nil && len(d.Locks) == 0 && d.Ordered.Empty() &&
			d.Asks.Empty() &&
			(d.Nearest == nil || d.Nearest.Next == nil)
		visit(Given{l.all[i].object, l.all[i].right, gives, takes, plain})
	}
}

// By hands what the subject holds of what one rule lists to add, in whatever state but none,
// until add has enough: of what one decision decides on, the first.
func (l *Listing) By(r *Rule, q *Question, add func(Entitlement) (more bool)) {
	if int(r.number) >= len(l.by) {
		return
	}
	for n := range l.by[r.number].All() {
		var e Entitlement
		l.decisions[n].answer(q, &e)
		more := true
		l.add(&l.all[l.decisions[n].at.first()], &e, func(e Entitlement) { more = add(e) })
		if !more {
			return
		}
	}
}

// add hands on the answer of a decision as one to something listed.
func (l *Listing) add(x *listed, e *Entitlement, add func(Entitlement)) {
	if e.State != None {
		e.System, e.Object, e.Right = l.System, x.object, x.right
		add(*e)
	}
}

// answer asks the decision.
func (d *Decision) answer(q *Question, e *Entitlement) {
	d.Judge(q, e)
	if !q.Brief {
		d.finish(q, e)
	}
}

// finish adds what goes along with an entitlement.
func (d *Decision) finish(q *Question, e *Entitlement) {
	if d.Finish != nil {
		extra := d.Finish(q, e.State, e.by)
		e.Breadth, e.Reply, e.Claims = extra.Breadth, extra.Reply, extra.Claims
	}
}

// decision is what decides on the i-th that is listed.
func (l *Listing) decision(i int) *Decision { return l.decisions[l.all[i].decision].Decision }

// Find is what decides on something that is listed.
func (l *Listing) Find(object, right string) (*Decision, bool) {
	for i := range l.all {
		if l.all[i].object == object && l.all[i].right == right {
			return l.decision(i), true
		}
	}
	return nil, false
}

// Giving are the rules without any of which there is nothing to list; needed is false where
// something is listed for everyone.
func (l *Listing) Giving() (giving LineSet, needed bool) { return l.lines, l.everyone.Empty() }

// Depends is what the listing looks at in a subject besides whom lines name.
func (l *Listing) Depends(book *directory.Book) (all Dependencies) {
	seen := map[any]bool{}
	for _, d := range l.decisions[1:] {
		all.Join(d.depends(book, seen))
	}
	return all
}

// Objects and Rights list what the listing names, each in order and once.
func (l *Listing) Objects() []string { return l.names(func(x *listed) string { return x.object }) }
func (l *Listing) Rights() []string  { return l.names(func(x *listed) string { return x.right }) }

func (l *Listing) names(of func(*listed) string) []string {
	names := make([]string, len(l.all))
	for i := range l.all {
		names[i] = of(&l.all[i])
	}
	slices.Sort(names)
	return slices.Compact(names)
}

// Public names what is listed for everyone.
func (l *Listing) Public() (names []string) {
	for n := range l.everyone.All() {
		for at := range l.decisions[n].at.All() {
			names = append(names, l.all[at].right+" on "+l.all[at].object)
		}
	}
	return names
}

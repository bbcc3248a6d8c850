package rule

import (
	"fmt"
	"slices"
	"sync"

	"gatemap/core/directory"
)

// Permission is one object and right of a gate.
type Permission interface {
	// Object is the object that is meant, also where the question left it out.
	Object() string
	// Decide answers for the subject of the question; Misses is left out.
	Decide(*Question) Entitlement
	// State answers a brief question.
	State(*Question) State
	// Misses lists the lines that would give it to the subject, none of which
	// does.
	Misses(*Question) []Miss
	// Lines are the rules that Decide looks at, and Depends is what it looks at in a
	// subject besides whom they name.
	Lines() LineSet
	Depends(*directory.Book) Dependencies
}

// Entry is a permission of a system on which one decision decides.
type Entry struct {
	System, On, Right string
	// DecidedAt is the object that decides, where On is not declared.
	DecidedAt string
	*Decision
}

// Object is the object of the entry.
func (e *Entry) Object() string { return e.On }

// State answers a brief question.
func (e *Entry) State(q *Question) State { return e.verdict(q, nil).State }

// Decide answers for the subject of the question.
func (e *Entry) Decide(q *Question) Entitlement {
	x := Entitlement{System: e.System, Object: e.On, Right: e.Right}
	e.Judge(q, &x)
	if x.DecidedAt = e.DecidedAt; e.Finish != nil {
		x = e.Finish(q, x)
	}
	return x
}

// Listing is the permissions that a gate lists by name.
type Listing struct {
	system    string
	index     *Index
	all       []listed
	decisions int
	for_      LineSet   // the rules that list something
	by        []LineSet // by rule: the places of what it lists
	everyone  LineSet   // the places of what is listed for everyone
}

type listed struct {
	object, right string
	*Decision
}

// NewListing begins the listing of a system.
func NewListing(system string, index *Index) *Listing { return &Listing{system: system, index: index} }

// Add adds a permission: for those for whom some rules are, or for everyone.
func (l *Listing) Add(object, right string, d *Decision, by LineSet, everyone bool) {
	if d.number == 0 {
		l.decisions++
		d.number = l.decisions
	}
	place := uint32(len(l.all))
	l.all = append(l.all, listed{object, right, d})
	if everyone {
		l.everyone.put(place)
	}
	for n := range by.All() {
		for len(l.by) <= int(n) {
			l.by = append(l.by, LineSet{})
		}
		l.by[n].put(place)
		l.for_.put(n)
	}
}

// Reach hands every permission that the subject holds, in whatever state but none, to add.
func (l *Listing) Reach(q *Question, add func(Entitlement)) {
	held := q.Held(l.index)
	if l.everyone.Empty() && !held.Meets(l.for_) {
		return
	}
	places := q.Words(len(l.all)/64 + 1)
	copy(places[l.everyone.from:], l.everyone.words)
	for n := range held.Among(l.for_) {
		for w, word := range l.by[n].words {
			places[l.by[n].from+w] |= word
		}
	}
	v := view{question: q}
	if l.decisions < len(l.all) {
		scratch := answers.Get().(*[]Entitlement)
		v.places, v.answers = q.Words(l.decisions+1), (*scratch)[:0]
		defer func() {
			clear(v.answers)
			*scratch = v.answers
			answers.Put(scratch)
		}()
	}
	all := LineSet{words: places}
	for at := range all.All() {
		x := &l.all[at]
		e := v.decide(x.Decision)
		if e.System, e.Object, e.Right = l.system, x.object, x.right; e.State != None {
			add(e)
		}
	}
}

// view is a listing as one question sees it: what was answered already, by the number of
// the decision, which is its place in answers from 1.
type view struct {
	question *Question
	places   []uint64
	answers  []Entitlement
}

// answers are where those of one listing are kept.
var answers = sync.Pool{New: func() any { return new([]Entitlement) }}

// decide asks a decision, once.
func (v *view) decide(d *Decision) (e Entitlement) {
	if v.places != nil && v.places[d.number] != 0 {
		return v.answers[v.places[d.number]-1]
	}
	d.Judge(v.question, &e)
	if d.Finish != nil && !v.question.Brief {
		e = d.Finish(v.question, e)
	}
	if v.places != nil {
		v.answers = append(v.answers, e)
		v.places[d.number] = uint64(len(v.answers))
	}
	return e
}

// Find is what decides on something that is listed.
func (l *Listing) Find(object, right string) (*Decision, bool) {
	for i := range l.all {
		if l.all[i].object == object && l.all[i].right == right {
			return l.all[i].Decision, true
		}
	}
	return nil, false
}

// Giving are the rules without any of which there is nothing to list; needed is false where
// something is listed for everyone.
func (l *Listing) Giving() (giving LineSet, needed bool) { return l.for_, l.everyone.Empty() }

// Depends is what the listing looks at in a subject besides whom lines name.
func (l *Listing) Depends(book *directory.Book) (all Dependencies) {
	done := make([]bool, l.decisions+1)
	var seen []Fact
	for i := range l.all {
		if d := l.all[i].Decision; !done[d.number] {
			done[d.number] = true
			all.Join(d.depends(book, &seen))
		}
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

// ObjectNeededError says that a question must name its object.
type ObjectNeededError struct {
	System  string
	Objects []string // some to choose from
}

func (e *ObjectNeededError) Error() string {
	return fmt.Sprintf("system %s has several objects: say which one is meant", e.System)
}

// Public names what is listed for everyone.
func (l *Listing) Public() (names []string) {
	for at := range l.everyone.All() {
		names = append(names, l.all[at].right+" on "+l.all[at].object)
	}
	return names
}

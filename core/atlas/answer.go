package atlas

import (
	"slices"
	"sync"
	"time"

	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Facts computes a situation against this map. The error is a
// *directory.NotFoundError where it names a device that does not exist.
func (a *Atlas) Facts(s situation.Situation) (*situation.Facts, error) {
	if s.DeviceName == "" {
		return a.Frame.Facts(s, nil), nil
	}
	id, err := a.Book.FindDevice(s.DeviceName, "")
	if err != nil {
		return nil, err
	}
	d := a.Book.Device(id)
	in := a.Book.DeviceGroups(id)
	return a.Frame.Facts(s, &situation.Device{
		Managed: known(d.Managed), Compliant: known(d.Compliant),
		InGroup: func(g uint32) bool { return in[directory.GroupID(g)] },
	}), nil
}

func known(b *bool) situation.Truth {
	switch {
	case b == nil:
		return situation.Unknown
	case *b:
		return situation.True
	}
	return situation.False
}

// Question asks about a user in a situation.
func (a *Atlas) Question(u directory.UserID, f *situation.Facts) *rule.Question {
	return &rule.Question{Book: a.Book, Subject: a.Book.Subject(u), Facts: f}
}

// Reach lists everything that a user holds in a situation, in whatever state
// but none, by system, object and right. within limits it to one system; nil
// means all.
func (a *Atlas) Reach(u directory.UserID, f *situation.Facts, within *System) []rule.Entitlement {
	q := a.Question(u, f)
	if within != nil {
		return a.In(q, within)
	}
	scratch := listings.Get().(*[]rule.Entitlement)
	all := a.AppendReach((*scratch)[:0], q)
	list := slices.Clone(all)
	clear(all)
	*scratch = all
	listings.Put(scratch)
	return list
}

// listings are where listings are put together before their length is known.
var listings = sync.Pool{New: func() any { return new([]rule.Entitlement) }}

// AppendReach adds everything that the subject of a question holds to a list, as Reach
// does: for those who ask about many users one after the other.
func (a *Atlas) AppendReach(list []rule.Entitlement, q *rule.Question) []rule.Entitlement {
	a.Each(q, nil, func(e rule.Entitlement) { list = append(list, e) })
	return list
}

// Each hands what Reach lists to visit, as soon as each is known.
func (a *Atlas) Each(q *rule.Question, within *System, visit func(rule.Entitlement)) {
	if within != nil {
		a.reachIn(q, within, visit)
		return
	}
	marks, sheet := rule.Held(q.Words(len(a.touch.loud))), q.Words(len(a.touch.base))
	a.touch.mark(q, sheet, marks)
	l := listing{atlas: a, question: q, visit: visit}
	add := l.add
	for i := range marks.All() {
		s := a.Systems[i]
		q.Give(&s.Site.Index, a.touch.of(sheet, i))
		l.of(s, add)
	}
}

// In lists what the subject of a question holds in one system, as Reach does.
func (a *Atlas) In(q *rule.Question, s *System) []rule.Entitlement {
	var held []rule.Entitlement
	a.reachIn(q, s, func(e rule.Entitlement) { held = append(held, e) })
	return held
}

// Looks asks what users hold in one system by single lines: the states, what shuts them, and of
// the routes the lines alone. It belongs to one goroutine.
type Looks struct {
	Question *rule.Question // turned by Turn
	listing  listing
}

// Looks asks about nobody yet.
func (a *Atlas) Looks(f *situation.Facts, s *System) *Looks {
	q := a.Unturned(f)
	q.Pathless = true
	return &Looks{Question: q, listing: listing{atlas: a, question: q, system: s}}
}

// Turn turns to a user.
func (l *Looks) Turn(u directory.UserID) {
	l.Question.Turn(u)
	l.listing.around = rule.Verdict{}
}

// By hands what the user holds of what one line gives to visit, or more than that, until visit
// has enough.
func (l *Looks) By(r *rule.Rule, visit func(rule.Entitlement) (more bool)) {
	l.listing.system.Gate.By(r, l.Question, func(e rule.Entitlement) bool {
		l.listing.judge(&e)
		return visit(e)
	})
}

// reachIn hands on everything that the subject holds in one system.
func (a *Atlas) reachIn(q *rule.Question, s *System, visit func(rule.Entitlement)) {
	l := listing{atlas: a, question: q, visit: visit}
	l.of(s, l.add)
}

// listing hands on what the subject of a question holds, one system after the other.
// What stands around a system is asked only where it gives something.
type listing struct {
	atlas    *Atlas
	question *rule.Question
	system   *System
	around   rule.Verdict
	visit    func(rule.Entitlement)

	own, both situation.Ways // of the last that depends, without and with what stands around
}

// of lists one system; add is the listing's own, made once for all.
func (l *listing) of(s *System, add func(rule.Entitlement)) {
	l.system, l.around, l.own = s, rule.Verdict{}, situation.Ways{}
	s.Gate.Reach(l.question, add)
}

func (l *listing) add(e rule.Entitlement) {
	l.judge(&e)
	e.Settle(l.question)
	l.visit(e)
}

// judge joins what stands around the system to the verdict of an entitlement.
func (l *listing) judge(e *rule.Entitlement) {
	if l.around.State == rule.None {
		l.around = l.atlas.account(l.question).And(l.system.around(l.question))
	}
	if l.around.State != rule.Open {
		e.Judge(l.within(e.Verdict()))
	}
}

// within joins the verdict of an entitlement to what stands around its system. Many depend on
// the same.
func (l *listing) within(v rule.Verdict) rule.Verdict {
	if v.State != rule.Depends || l.around.State != rule.Depends {
		return l.around.And(v)
	}
	if l.own.None() || !l.own.Same(v.If) {
		l.own, l.both = v.If, l.around.If.And(v.If)
	}
	v.If = l.both
	return v
}

// Decide answers a question for one point of a system.
func (a *Atlas) Decide(q *rule.Question, s *System, p rule.Permission) rule.Entitlement {
	e := p.Decide(q)
	if e.State != rule.None {
		e.Judge(a.account(q).And(s.around(q)).And(e.Verdict()))
	}
	e.Settle(q)
	return e
}

// account is what the user's account allows: nothing once it is switched off
// or has ended.
func (a *Atlas) account(q *rule.Question) rule.Verdict {
	if !a.Book.Bounded(q.Subject.ID) {
		return rule.Opened
	}
	u := q.Subject.User()
	verdict := rule.Opened
	if !u.IsActive() {
		verdict = q.ShutFor(rule.ByInactive, a.Book.UserName(q.Subject.ID), "")
	}
	if u.Expires.IsZero() {
		return verdict
	}
	switch at := q.Facts.At; {
	case !at.IsZero() && at.Before(u.Expires.Time):
		return verdict
	case q.Brief && at.IsZero():
		return verdict.And(rule.Verdict{State: rule.Depends})
	case q.Brief:
		return rule.Verdict{State: rule.Shut}
	case at.IsZero():
		return verdict.And(rule.DependsOn(situation.All(situation.Before(u.Expires.Time))))
	}
	return verdict.And(rule.ShutFor(rule.ByExpired, a.Book.UserName(q.Subject.ID), u.Expires.Format(time.RFC3339)))
}

// around is what stands around a system's own decision: the attributes that it
// requires and what stands in front of it.
func (s *System) around(q *rule.Question) rule.Verdict {
	verdict := rule.Opened
	for i, attribute := range s.requires {
		if q.Book.Lacks(q.Subject.ID, attribute) {
			if q.Brief {
				return rule.Verdict{State: rule.Shut}
			}
			verdict = verdict.And(rule.ShutFor(rule.ByPrerequisite, s.Name()+"/requires", s.Document.Requires[i]))
		}
	}
	return s.behind(q, verdict)
}

// behind is what of a verdict is left behind all that stands in front of a system.
func (s *System) behind(q *rule.Question, verdict rule.Verdict) rule.Verdict {
	for i := range s.front {
		verdict = verdict.And(s.front[i].verdict(q))
	}
	return verdict
}

// lacking lists the required attributes that the subject does not have.
func (s *System) lacking(q *rule.Question) []string {
	var names []string
	for i, attribute := range s.Document.Requires {
		if q.Book.Lacks(q.Subject.ID, s.requires[i]) {
			names = append(names, attribute)
		}
	}
	return names
}

// Lacking visits the active users, by name, whom the gate of a system gives anything though
// they lack attributes that it requires, with these.
func (a *Atlas) Lacking(s *System, visit func(u directory.UserID, lacks []string)) {
	var lacking []directory.UserID
	for _, attribute := range s.requires {
		lacking = append(lacking, a.Book.Lacking(attribute)...)
	}
	slices.Sort(lacking)
	q := a.Brief(a.Frame.Facts(situation.Situation{}, nil))
	for _, u := range a.Book.UsersInOrder(slices.Compact(lacking)) {
		if !a.Book.Active(u) {
			continue
		}
		q.Turn(u)
		given := false
		if s.Gate.Reach(q, func(rule.Entitlement) { given = true }); given {
			visit(u, s.lacking(q))
		}
	}
}

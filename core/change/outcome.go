package change

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/situation"
)

// Outcome is what a trial would change for everyone in a situation: who gains
// and who loses what, by user, system, object and right. Findings and guarantees
// are left out; Maps tells these too. The error is about a device that one of
// the maps does not have.
func (t *Trial) Outcome(s situation.Situation) (*Outcome, error) {
	before, err := t.before.Facts(s)
	if err != nil {
		return nil, err
	}
	after, err := t.Atlas.Facts(s)
	if err != nil {
		return nil, err
	}
	if t.anew {
		return Entitlements(t.before, t.Atlas, s)
	}
	o := &Outcome{Gains: []Held{}, Losses: []Held{}, Changes: []Changed{}}
	users := slices.Concat(t.touched, t.Atlas.Shifted(t.before))
	slices.Sort(users)
	users = slices.Compact(users)
	for _, u := range users {
		o.user(t.Atlas.Book.UserName(u), t.before.Reach(u, before, nil), t.Atlas.Reach(u, after, nil))
	}
	fresh := t.Atlas.Fresh(t.before)
	named := t.named(fresh)
	for _, s := range fresh {
		if err := t.compare(o, s, before, after, named, users); err != nil {
			return nil, err
		}
	}
	o.sort()
	return o, nil
}

// named lists those to whom it can matter that systems have other documents: whom
// a line names that is otherwise, or everyone.
func (t *Trial) named(fresh []*atlas.System) []directory.UserID {
	var users []directory.UserID
	for _, s := range fresh {
		old := t.old(s)
		if old.Document == s.Document {
			continue // it looks at one that is otherwise
		}
		who, ok := gate.Differing(old.Document, s.Document)
		if !ok || shows(old.Gate, s.Gate) {
			return t.Atlas.Book.Everyone()
		}
		for _, atlas := range []*atlas.Atlas{t.before, t.Atlas} {
			groups, some, ok := members(atlas.Book, who)
			if !ok {
				return t.Atlas.Book.Everyone()
			}
			users = append(users, atlas.Book.Among(groups, some)...)
		}
	}
	slices.Sort(users)
	return slices.Compact(users)
}

// shows says whether a gate shows to everyone what another did not, or holds
// something that is shared out.
func shows(old, now gate.Gate) bool {
	if _, shared := now.(gate.Shared); shared {
		return true
	}
	was, public := old.(gate.Public)
	is, still := now.(gate.Public)
	return public != still || public && !slices.Equal(was.Public(), is.Public())
}

// members are the groups and users whom lines name; ok is false where a line
// names more.
func members(book *directory.Book, who []*gate.Who) (groups []directory.GroupID, users []directory.UserID, ok bool) {
	for _, w := range who {
		if w.Everyone || len(w.Claims) > 0 {
			return nil, nil, false
		}
		for _, ref := range w.Groups {
			if g, err := book.FindGroup(ref.Name, ""); err == nil {
				groups = append(groups, g)
			}
		}
		for _, ref := range w.Users {
			if u, err := book.FindUser(ref.Name, ""); err == nil {
				users = append(users, u)
			}
		}
	}
	return groups, users, true
}

// old is a system as it was before the trial.
func (t *Trial) old(s *atlas.System) *atlas.System {
	old, err := t.before.System(s.Name())
	if err != nil {
		panic(err) // a trial replaces documents, and no names
	}
	return old
}

// compare works out what differs in a system that was compiled again, for some
// but those who have been looked at already. Who are alike to it both before and
// after differ in the same, by routes of their own.
func (t *Trial) compare(o *Outcome, fresh *atlas.System, before, after *situation.Facts, named, done []directory.UserID) error {
	if len(named) == 0 {
		return nil
	}
	old := t.old(fresh)
	was, is := t.before.Question(0, before), t.Atlas.Question(0, after)
	for _, users := range atlas.Alike(t.before, old, t.Atlas, fresh, named) {
		was.Turn(users[0])
		is.Turn(users[0])
		differing, err := differing(old, t.before.In(was, old), fresh, t.Atlas.In(is, fresh))
		if err != nil {
			return err
		}
		if len(differing) == 0 {
			continue
		}
		for _, u := range users {
			if _, twice := slices.BinarySearch(done, u); twice {
				continue
			}
			was.Turn(u)
			is.Turn(u)
			user := t.Atlas.Book.UserName(u)
			for _, d := range differing {
				o.point(user, decided(t.before, was, old, d.was), decided(t.Atlas, is, fresh, d.is))
			}
		}
	}
	return nil
}

// difference is something that is held before or after, or both, but not alike;
// where it is not held at all, the point is nil.
type difference struct{ was, is gate.Point }

func differing(old *atlas.System, before []gate.Entitlement, fresh *atlas.System, after []gate.Entitlement) (all []difference, err error) {
	at := func(s *atlas.System, e *gate.Entitlement) gate.Point {
		if e == nil || err != nil {
			return nil
		}
		var p gate.Point
		p, err = s.Gate.At(e.Object, e.Right)
		return p
	}
	sideBySide(before, after, func(x, y *gate.Entitlement) {
		if x == nil || y == nil || !alike(x, y) {
			all = append(all, difference{at(old, x), at(fresh, y)})
		}
	})
	return all, err
}

func decided(a *atlas.Atlas, q *gate.Question, s *atlas.System, p gate.Point) *gate.Entitlement {
	if p == nil {
		return nil
	}
	e := a.Decide(q, s, p)
	return &e
}

// sort puts everything in the order of users, systems, objects and rights.
func (o *Outcome) sort() {
	held := func(a, b Held) int {
		return cmp.Or(strings.Compare(a.User, b.User), order(&a.Entitlement, &b.Entitlement))
	}
	slices.SortStableFunc(o.Gains, held)
	slices.SortStableFunc(o.Losses, held)
	slices.SortStableFunc(o.Changes, func(a, b Changed) int {
		return cmp.Or(strings.Compare(a.User, b.User), order(&a.Before, &b.Before))
	})
}

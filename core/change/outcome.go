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
	for _, fresh := range t.Atlas.Fresh(t.before) {
		old, err := t.before.System(fresh.Name())
		if err != nil {
			return nil, err
		}
		t.compare(o, old, fresh, before, after, users)
	}
	o.sort()
	return o, nil
}

// compare works out what differs in a system that was compiled again, for all
// but those who have been looked at already: once for all who are alike to it
// both before and after.
func (t *Trial) compare(o *Outcome, old, fresh *atlas.System, before, after *situation.Facts, done []directory.UserID) {
	if t.before.Book.Users() == 0 {
		return
	}
	was, is := t.before.Question(0, before), t.Atlas.Question(0, after)
	for _, users := range atlas.Alike(t.before, old, t.Atlas, fresh, t.Atlas.Book.Everyone()) {
		was.Turn(users[0])
		is.Turn(users[0])
		if same(t.before.In(was, old), t.Atlas.In(is, fresh)) {
			continue
		}
		for _, u := range users {
			if _, twice := slices.BinarySearch(done, u); !twice {
				o.user(t.Atlas.Book.UserName(u),
					t.before.In(t.before.Question(u, before), old), t.Atlas.In(t.Atlas.Question(u, after), fresh))
			}
		}
	}
}

// same says that two listings come to the same, by whatever routes.
func same(before, after []gate.Entitlement) bool {
	equal := true
	sideBySide(before, after, func(x, y *gate.Entitlement) { equal = equal && x != nil && y != nil && alike(x, y) })
	return equal
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

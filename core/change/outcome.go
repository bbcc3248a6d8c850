package change

import (
	"errors"
	"math"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/parallel"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Outcome is what a trial would change for everyone in a situation: who gains
// and who loses what, by user, system, object and right. Findings and guarantees
// are left out; Maps tells these too. The error is about a device that one of
// the maps does not have.
func (t *Trial) Outcome(s situation.Situation) (*Outcome, error) {
	if t.recompiled {
		o, _, err := entitlements(t.before, t.Atlas, s, true, math.MaxInt)
		return o, err
	}
	before, after, err := onBoth(t.before, t.Atlas, s)
	if err != nil {
		return nil, err
	}
	o := nothing(t.before, t.Atlas, true)
	users := slices.Concat(t.touched, t.Atlas.Shifted(t.before))
	slices.Sort(users)
	users = slices.Compact(users)
	o.join(t.reach(o, users, before, after))
	fresh := t.Atlas.Fresh(t.before)
	named := t.named(fresh)
	for _, s := range fresh {
		if err := t.compare(o, s, before, after, t.besides(s, named), users); err != nil {
			return nil, err
		}
	}
	o.sort()
	return o, nil
}

// bySystem is Outcome for a map that was recompiled and has the users that it had: those
// whose records or groups differ are looked at by themselves, and all others system by
// system, those together who are alike to it.
func (t *Trial) bySystem(s situation.Situation, people []person) (*Outcome, error) {
	before, after, err := onBoth(t.before, t.Atlas, s)
	if err != nil {
		return nil, err
	}
	o := nothing(t.before, t.Atlas, true)
	var touched []directory.UserID
	for _, p := range people {
		if p.differs {
			touched = append(touched, p.after)
		}
	}
	slices.Sort(touched)
	o.join(t.reach(o, touched, before, after))
	everyone, other := t.Atlas.Book.Everyone(), others(t.before.Frame, t.Atlas.Frame)
	parts, errs := make([]Outcome, len(t.Atlas.Systems)), make([]error, len(t.Atlas.Systems))
	parallel.For(len(parts), 1, func(from, to int) {
		for i := from; i < to; i++ {
			is, part := t.Atlas.Systems[i], &parts[i]
			part.routes, part.meant = o.routes, o.meant
			if old, err := t.before.System(is.Name()); err != nil {
				part.alone(t.Atlas, is, after, touched, func(user string, held []rule.Entitlement) { part.user(user, nil, held) })
			} else if s.DeviceName != "" || !t.settled(old, is, other) {
				errs[i] = t.compare(part, is, before, after, everyone, touched)
			}
		}
	})
	if err := errors.Join(errs...); err != nil {
		return nil, err
	}
	o.join(parts)
	for _, was := range t.before.Systems {
		if _, err := t.Atlas.System(was.Name()); err != nil {
			o.alone(t.before, was, before, touched, func(user string, held []rule.Entitlement) { o.user(user, held, nil) })
		}
	}
	o.sort()
	return o, nil
}

// alone hands on what everyone but some holds in a system that comes or goes.
func (o *Outcome) alone(
	a *atlas.Atlas,
	s *atlas.System,
	facts *situation.Facts,
	done []directory.UserID,
	note func(string, []rule.Entitlement),
) {
	q := a.Unturned(facts)
	for _, users := range atlas.Alike(a, s, a, s, a.Book.Everyone()) {
		q.Turn(users[0])
		if len(a.In(q, s)) == 0 {
			continue
		}
		for _, u := range users {
			if _, twice := slices.BinarySearch(done, u); !twice {
				q.Turn(u)
				note(a.Book.UserName(u), a.In(q, s))
			}
		}
	}
}

// reach computes what some users gain and lose in all systems, in parts of an outcome.
func (t *Trial) reach(o *Outcome, users []directory.UserID, before, after *situation.Facts) []Outcome {
	const piece = 16
	parts := make([]Outcome, (len(users)+piece-1)/piece)
	parallel.For(len(users), piece, func(from, to int) {
		part := &parts[from/piece]
		part.routes, part.meant = o.routes, o.meant
		was, is := t.before.Unturned(before), t.Atlas.Unturned(after)
		var x, y []rule.Entitlement
		for _, u := range users[from:to] {
			if x, y = x[:0], y[:0]; t.before.Book.HasUser(u) {
				was.Turn(u)
				x = t.before.AppendReach(x, was)
			}
			if t.Atlas.Book.HasUser(u) {
				is.Turn(u)
				y = t.Atlas.AppendReach(y, is)
			}
			part.user(t.Atlas.Book.UserName(u), x, y)
		}
	})
	return parts
}

// join adds what parts have found.
func (o *Outcome) join(parts []Outcome) {
	for _, p := range parts {
		o.Gains, o.Losses = append(o.Gains, p.Gains...), append(o.Losses, p.Losses...)
		o.Changes, o.Reroutes = append(o.Changes, p.Changes...), append(o.Reroutes, p.Reroutes...)
	}
}

// named lists those to whom it can matter that systems have other documents: whom
// a line names that is otherwise, or everyone.
func (t *Trial) named(fresh []*atlas.System) []directory.UserID {
	var users []directory.UserID
	renamed := slices.DeleteFunc(t.Atlas.Book.Moved(), func(g directory.GroupID) bool { return !t.Atlas.Book.Renamed(g) })
	for _, s := range fresh {
		old := t.old(s)
		if s.Site.ByName() {
			users = append(users, t.Atlas.Book.Among(renamed, nil)...)
		}
		if old.Document == s.Document {
			// It looks at one that is otherwise, groups count otherwise in it, or a name
			// leads to something now, or no longer.
			if !slices.Equal(lost(s), lost(old)) {
				users = append(users, rule.Candidates(t.before.Book, old.Site.Index.All())...)
				users = append(users, rule.Candidates(t.Atlas.Book, s.Site.Index.All())...)
			}
			continue
		}
		who, ok := gate.Differing(old.Document, s.Document)
		if !ok || shows(old, s) {
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

// lost are the names in the lines of a system that lead to nothing, or to too much.
func lost(s *atlas.System) (names []string) {
	for _, f := range s.Site.Findings {
		if f.Code == finding.UnknownName || f.Code == finding.AmbiguousName {
			names = append(names, f.Where.Rule+" "+strings.Join(f.Names, " "))
		}
	}
	return names
}

// besides adds to some users those to whom it can matter that groups count otherwise in
// a system, though they are not in these: all whom its lines name, where it shows to
// everyone what it did not, or shares something out.
func (t *Trial) besides(s *atlas.System, named []directory.UserID) []directory.UserID {
	old := t.old(s)
	if len(t.Atlas.Book.Reshaped()) == 0 || old.Document != s.Document || !shows(old, s) {
		return named
	}
	users := slices.Concat(
		named,
		rule.Candidates(t.before.Book, old.Site.Index.All()),
		rule.Candidates(t.Atlas.Book, s.Site.Index.All()),
	)
	slices.Sort(users)
	return slices.Compact(users)
}

// shows says whether a system shows to everyone what it did not, or holds something that is
// shared out.
func shows(old, now *atlas.System) bool {
	return len(old.Site.Shared)+len(now.Site.Shared) > 0 || !slices.Equal(old.Gate.Public(), now.Gate.Public())
}

// members are the groups and users whom lines name; ok is false if a line
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

// compare computes what differs in a system that was compiled again, for some
// but those who have been looked at already. Who are alike to it both before and
// after differ in the same, by routes of their own.
func (t *Trial) compare(
	o *Outcome,
	fresh *atlas.System,
	before, after *situation.Facts,
	named, done []directory.UserID,
) error {
	named = slices.DeleteFunc(slices.Clone(named), func(u directory.UserID) bool {
		return !t.before.Book.HasUser(u) || !t.Atlas.Book.HasUser(u)
	})
	if len(named) == 0 {
		return nil
	}
	old := t.old(fresh)
	was, is := t.before.Unturned(before), t.Atlas.Unturned(after)
	oldPoints, freshPoints := points{old, map[[2]string]rule.Permission{}}, points{fresh, map[[2]string]rule.Permission{}}
	for _, users := range atlas.Alike(t.before, old, t.Atlas, fresh, named) {
		was.Turn(users[0])
		is.Turn(users[0])
		differing, err := differing(o, &oldPoints, &freshPoints, t.before.In(was, old), t.Atlas.In(is, fresh))
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

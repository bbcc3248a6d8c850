package atlas

import (
	"cmp"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Way is what is enough, all of it together, for an entitlement that a user does not hold
// or that is shut, with what else it brings.
type Way struct {
	Changes []Step     `json:"changes" doc:"What has to be so, all of it: group:NAME (a membership), attribute:NAME=VALUE, attribute:NAME (any value), account:active, account:longer, or a need." nullable:"false"`
	State   rule.State `json:"state" doc:"What becomes of the entitlement: open, or depends."`
	Brings  int        `json:"brings" doc:"How many other entitlements open or depend then that do not now."`
	Sample  []string   `json:"sample,omitempty" doc:"Some of these, as SYSTEM RIGHT on OBJECT."`
}

// How many groups are tried, how many facts of the situation are thought away together, how
// many ways there are, and how many other entitlements are named.
const (
	maxTried  = 20
	maxAway   = 3
	maxWays   = 8
	maxSample = 3
)

// Ways lists what is enough for an entitlement that a user does not hold, or that is shut:
// what brings the least else comes first. given is the situation of the question.
func (a *Atlas) Ways(
	q *rule.Question,
	given situation.Situation,
	s *System,
	p rule.Permission,
	e *rule.Entitlement,
) []Way {
	switch e.State {
	case rule.Shut:
		return a.waysPast(q, given, s, p)
	case rule.None:
		return a.waysIn(q, given, s, p, e)
	}
	return nil
}

// waysIn are the groups, and the values that rules of groups ask for, that give an
// entitlement; what then shuts it has to be otherwise too.
func (a *Atlas) waysIn(
	q *rule.Question,
	given situation.Situation,
	s *System,
	p rule.Permission,
	e *rule.Entitlement,
) []Way {
	now := usable(a.AppendReach(nil, q))
	asked := e.System + " " + e.Right + " on " + e.Object
	var ways []Way
	for _, g := range a.candidates(e.Misses) {
		is, with, changes := a.joined(q, g)
		if is == nil {
			continue
		}
		then := is.Decide(with, s, p)
		w := Way{Changes: changes, State: then.State}
		switch then.State {
		case rule.None:
			continue
		case rule.Shut:
			past := is.waysPast(with, given, s, p)
			if len(past) == 0 {
				continue
			}
			w.Changes, w.State = append(changes, past[0].Changes...), past[0].State
		}
		for _, other := range is.AppendReach(nil, with) {
			name := other.System + " " + other.Right + " on " + other.Object
			if other.State < rule.Depends || now[name] || name == asked {
				continue
			}
			if w.Brings++; len(w.Sample) < maxSample {
				w.Sample = append(w.Sample, name)
			}
		}
		ways = append(ways, w)
	}
	slices.SortStableFunc(ways, func(x, y Way) int {
		return cmp.Or(
			-cmp.Compare(x.State, y.State),
			cmp.Compare(x.Brings, y.Brings),
			cmp.Compare(len(x.Changes), len(y.Changes)),
			slices.Compare(x.Changes, y.Changes),
		)
	})
	return ways[:min(len(ways), maxWays)]
}

// joined is a question about its user as a member of a group, and the map to ask: listed
// there, or, where a rule makes the members, with the values that a member has of what the
// rule reads. It is nil where that is not enough.
func (a *Atlas) joined(q *rule.Question, g directory.GroupID) (is *Atlas, with *rule.Question, changes []Step) {
	if own := a.Book.Group(g); own.Rule == nil {
		changes = []Step{joining(a.Book.GroupName(g))}
		with = &rule.Question{Book: q.Book, Facts: q.Facts, Subject: a.Book.SubjectWith(q.Subject.ID, g)}
		if !a.takesPart(q, with) {
			return a, with, changes
		}
		listed := directory.Members{}
		if own.Members != nil {
			listed = *own.Members
		}
		listed.Users = append(slices.Clip(listed.Users), name.Ref{Name: a.Book.UserName(q.Subject.ID)})
		record := *own
		record.Members = &listed
		is, with = a.edited(q, directory.Edit{Groups: map[directory.GroupID]*directory.Group{g: &record}})
		return is, with, changes
	}
	record, values := a.Book.LikeMembers(g, q.Subject.ID)
	if record == nil {
		return nil, nil, nil
	}
	for _, x := range values {
		changes = append(changes, setting(x.Name, x.Values[0].Text))
	}
	is, with = a.edited(q, directory.Edit{Users: map[directory.UserID]*directory.User{q.Subject.ID: record}})
	return is, with, changes
}

// takesPart says whether a user has a share of something of which there is not enough for
// everyone, as one question has it, and not as another has: then it can matter who else has one.
func (a *Atlas) takesPart(before, after *rule.Question) bool {
	return slices.ContainsFunc(a.Systems, func(s *System) bool {
		return slices.ContainsFunc(s.Site.Shared, func(x gate.Shared) bool {
			for _, r := range s.Site.Index.Some(x.Lines()) {
				if r.Has(after) && !r.Has(before) {
					return true
				}
			}
			return false
		})
	})
}

// edited is a question about the same user by an edited book, which leaves all systems as they
// are, and the map to ask.
func (a *Atlas) edited(q *rule.Question, e directory.Edit) (*Atlas, *rule.Question) {
	book, ok := a.Book.With(e)
	if !ok {
		return nil, nil
	}
	is, err := a.With(Changed{Title: a.Title, Book: book, Frame: a.Frame})
	if err != nil {
		return nil, nil
	}
	return is, is.Question(q.Subject.ID, q.Facts)
}

func usable(list []rule.Entitlement) map[string]bool {
	names := map[string]bool{}
	for _, e := range list {
		if e.State >= rule.Depends {
			names[e.System+" "+e.Right+" on "+e.Object] = true
		}
	}
	return names
}

// candidates are the groups that lines would give it to.
func (a *Atlas) candidates(misses []rule.Miss) []directory.GroupID {
	var ids []directory.GroupID
	for _, m := range misses {
		for _, lack := range m.Lacks {
			kind, written := lack.Parts()
			if kind != rule.LackGroup {
				continue
			}
			if g, err := a.Book.FindGroup(written, ""); err == nil && !slices.Contains(ids, g) && len(ids) < maxTried {
				ids = append(ids, g)
			}
		}
	}
	return ids
}

// waysPast are what is enough past all that shuts an entitlement: what the account lacks,
// and situations that are otherwise in as few facts as possible.
func (a *Atlas) waysPast(q *rule.Question, given situation.Situation, s *System, p rule.Permission) []Way {
	fixes := a.fixes(q, s)
	a, q = a.mended(q, s, p, fixes)
	if a == nil {
		return nil
	}
	facts := given.Facts()
	fields := slices.DeleteFunc(
		slices.Clone(situation.Fields),
		func(field string) bool { _, is := facts[field]; return !is },
	)
	var ways []Way
	for size := 0; size <= min(maxAway, len(fields)) && len(ways) == 0; size++ {
		for away := range subsets(fields, size) {
			without, err := situation.Parse(func(field string) string {
				if slices.Contains(away, field) {
					return ""
				}
				return facts[field]
			})
			if err != nil {
				continue
			}
			known, err := a.Facts(without)
			if err != nil {
				continue
			}
			e := a.beyond(&rule.Question{Book: q.Book, Subject: q.Subject, Facts: known}, s, p)
			if e.State < rule.Depends {
				continue
			}
			for _, needs := range e.OpenIf {
				w := Way{Changes: slices.Clone(fixes), State: rule.Open}
				for _, n := range needs {
					w.Changes = append(w.Changes, Step(n))
				}
				if len(w.Changes) > 0 &&
					!slices.ContainsFunc(ways, func(x Way) bool { return slices.Equal(x.Changes, w.Changes) }) {
					ways = append(ways, w)
				}
			}
		}
	}
	slices.SortStableFunc(ways, func(x, y Way) int {
		return cmp.Or(cmp.Compare(len(x.Changes), len(y.Changes)), slices.Compare(x.Changes, y.Changes))
	})
	return ways[:min(len(ways), maxWays)]
}

// fixes are what would have to be otherwise of the account and its attributes.
func (a *Atlas) fixes(q *rule.Question, s *System) (changes []Step) {
	u := q.Subject.User()
	if !u.IsActive() {
		changes = append(changes, Active)
	}
	if at := q.Facts.At; !u.Expires.IsZero() && !at.IsZero() && !at.Before(u.Expires.Time) {
		changes = append(changes, Longer)
	}
	for _, attribute := range s.lacking(q) {
		changes = append(changes, having(attribute))
	}
	return changes
}

// beyond is the answer for one point but for what fixes are for.
func (a *Atlas) beyond(q *rule.Question, s *System, p rule.Permission) rule.Entitlement {
	e := p.Decide(q)
	if e.State != rule.None {
		e.Judge(s.behind(q, e.Verdict()))
	}
	e.Settle(q)
	return e
}

// mended is a question about the same user with an account that is in order, and the map to
// ask, where that matters to something that is shared out: who has an account takes a share.
func (a *Atlas) mended(q *rule.Question, s *System, p rule.Permission, fixes []Step) (*Atlas, *rule.Question) {
	account := slices.ContainsFunc(fixes, func(f Step) bool { return f == Active || f == Longer })
	if !account || !slices.ContainsFunc(s.Site.Shared, func(x gate.Shared) bool { return x.Lines().Shares(p.Lines()) }) {
		return a, q
	}
	record := *q.Subject.User()
	record.Active = nil
	if slices.Contains(fixes, Longer) {
		record.Expires = directory.Instant{}
	}
	return a.edited(q, directory.Edit{Users: map[directory.UserID]*directory.User{q.Subject.ID: &record}})
}

// subsets yields the subsets of a list that have so many elements.
func subsets(list []string, size int) func(func([]string) bool) {
	return func(yield func([]string) bool) {
		var pick func(from int, chosen []string) bool
		pick = func(from int, chosen []string) bool {
			if len(chosen) == size {
				return yield(slices.Clone(chosen))
			}
			for i := from; i < len(list); i++ {
				if !pick(i+1, append(chosen, list[i])) {
					return false
				}
			}
			return true
		}
		pick(0, nil)
	}
}

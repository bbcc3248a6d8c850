package change

import (
	"math"
	"reflect"
	"slices"
	"strings"
	"time"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/situation"
)

// Trial is a map beside the one whose place it may take.
type Trial struct {
	Atlas  *atlas.Atlas
	before *atlas.Atlas
	// touched are the users whom the changes themselves are about.
	touched    []directory.UserID
	recompiled bool // the atlas was recompiled: anyone may be touched
}

// Try compiles the map is, and computes again only what differs from
// the map was, of which before was compiled. Records and documents that are the
// same in memory are the same. The error is as that of atlas.Compile.
func Try(before *atlas.Atlas, was, is *atlas.Map) (*Trial, error) {
	t := &Trial{before: before}
	book, ok := amended(before.Book, was, is)
	if ok {
		systems, known := replaced(was, is)
		frame, framed := widened(before.Frame, is)
		if known && framed {
			if book != before.Book {
				_, t.touched = book.Base()
			}
			var err error
			t.Atlas, err = before.With(
				atlas.Changed{Title: is.Title, Book: book, Frame: frame, Systems: systems, Guarantees: is.Guarantees},
			)
			return t, err
		}
	}
	t.recompiled = true
	var err error
	t.Atlas, err = atlas.Compile(is)
	return t, err
}

// Recompiled says that the whole map was compiled.
func (t *Trial) Recompiled() bool { return t.recompiled }

// None is the trial of nothing.
func None(a *atlas.Atlas) *Trial { return &Trial{Atlas: a, before: a} }

// replaced lists the systems that have other documents; ok is false if some come or
// go.
func replaced(was, is *atlas.Map) (systems []*gate.System, ok bool) {
	if len(was.Systems) != len(is.Systems) {
		return nil, false
	}
	old := make(map[string]*gate.System, len(was.Systems))
	for _, s := range was.Systems {
		old[strings.ToLower(s.Name)] = s
	}
	for _, s := range is.Systems {
		switch before := old[strings.ToLower(s.Name)]; {
		case before == nil || before.Name != s.Name:
			return nil, false
		case before != s && !reflect.DeepEqual(before, s):
			systems = append(systems, s)
		}
	}
	return systems, true
}

// widened is the frame of an atlas with the networks and windows of a map, those that
// were there first and in their order; ok is false if one of these differs.
func widened(before *situation.Frame, is *atlas.Map) (frame *situation.Frame, ok bool) {
	zone := is.Zone
	if zone == nil {
		zone = time.UTC
	}
	frame = &situation.Frame{Zone: zone}
	frame.Networks, ok = continued(
		before.Networks,
		is.Networks,
		func(n *situation.Network) string { return n.Name },
		(*situation.Network).Same,
	)
	if !ok || before.Zone.String() != zone.String() {
		return nil, false
	}
	frame.Windows, ok = continued(
		before.Windows,
		is.Windows,
		func(w *situation.Window) string { return w.Name },
		(*situation.Window).Same,
	)
	return frame, ok
}

// continued is a list in the order of one before it, with what is new at its end; ok is
// false where something of that is missing, or not the same.
func continued[T any](before, is []T, name func(*T) string, same func(a, b *T) bool) (list []T, ok bool) {
	at := map[string]int{}
	for i := range is {
		at[name(&is[i])] = i
	}
	for i := range before {
		now, there := at[name(&before[i])]
		if !there || !same(&before[i], &is[now]) {
			return nil, false
		}
		list = append(list, is[now])
		delete(at, name(&before[i]))
	}
	for i := range is {
		if _, fresh := at[name(&is[i])]; fresh {
			list = append(list, is[i])
		}
	}
	return list, true
}

// LookedAt is up to how many people outcomes are computed for all of them where they are shown
// to somebody who waits.
const LookedAt = 5000

// Told is how many effects such an outcome has at the least before it looks at nobody else: what a
// large system gives to all its accounts would take gigabytes.
const Told = 500_000

// OutcomeWithin is Outcome, but where a map was recompiled, has other users than before, and
// more than so many, it looks at some of those whose records or groups differ, and says at
// how many it looked; 0 is all. Where systems, networks or windows differ as well it always
// says that, since these may touch anyone. People who are looked at one by one are looked at until
// there are most effects.
func (t *Trial) OutcomeWithin(s situation.Situation, limit, most int) (o *Outcome, looked int, err error) {
	switch {
	case !t.recompiled:
		o, err = t.Outcome(s)
		return o, 0, err
	case t.Atlas.Book.UserCount() <= limit:
		return entitlements(t.before, t.Atlas, s, true, most)
	}
	people := sides(t.before.Book, t.Atlas.Book)
	if !slices.ContainsFunc(people, func(p person) bool { return !p.was || !p.is || p.before != p.after }) {
		o, err = t.bySystem(s, people)
		return o, 0, err
	}
	sum, err := between(t.before, t.Atlas, s, limit, math.MaxInt, most)
	if err != nil {
		return nil, 0, err
	}
	if sum.Looked == sum.Touched && t.sameGates() {
		return &sum.Outcome, 0, nil
	}
	return &sum.Outcome, max(1, sum.Looked), nil
}

// sameGates says whether the systems, networks and windows are what they were.
func (t *Trial) sameGates() bool {
	was, is := t.before, t.Atlas
	if len(was.Systems) != len(is.Systems) || len(others(was.Frame, is.Frame)) > 0 {
		return false
	}
	return !slices.ContainsFunc(is.Systems, func(s *atlas.System) bool {
		old, err := was.System(s.Name())
		return err != nil || old.Document != s.Document && !reflect.DeepEqual(old.Document, s.Document)
	})
}

// Summary is Between for a trial: where the differences touch few people,
// it looks at these alone.
func (t *Trial) Summary(s situation.Situation, limit, keep int) (*Summary, error) {
	if t.recompiled || len(t.touched) > limit/some {
		return Between(t.before, t.Atlas, s, limit, keep)
	}
	o, err := t.Outcome(s)
	if err != nil {
		return nil, err
	}
	return &Summary{
		Outcome: Outcome{
			Gains:   begin([]Held{}, o.Gains, keep),
			Losses:  begin([]Held{}, o.Losses, keep),
			Changes: begin([]Changed{}, o.Changes, keep),
		},
		GainCount: len(
			o.Gains,
		), LossCount: len(o.Losses), ChangeCount: len(o.Changes), Touched: len(t.touched), Looked: len(t.touched),
	}, nil
}

// Written lists what is found in what is written, errors all of them, that was not before,
// and the other way round: in the systems that the changes touch, in directories and in
// guarantees.
func (t *Trial) Written() TurnedFindings {
	var old, fresh []*atlas.System
	for _, s := range t.Atlas.Systems {
		before, err := t.before.System(s.Name())
		if before == s {
			continue
		}
		fresh = append(fresh, s)
		if err == nil {
			old = append(old, before)
		}
	}
	for _, s := range t.before.Systems {
		if _, err := t.Atlas.System(s.Name()); err != nil {
			old = append(old, s)
		}
	}
	was, is := directory.FoundApart(t.before.Book, t.Atlas.Book)
	was, is = append(was, check.Written(t.before, old)...), append(is, check.Written(t.Atlas, fresh)...)
	finding.Sort(was)
	finding.Sort(is)
	return turnedFindings(was, is)
}

// Errors are the errors among what is new.
func (t TurnedFindings) Errors() []finding.Finding {
	return slices.DeleteFunc(slices.Clone(t.New), func(f finding.Finding) bool { return f.Severity != finding.Error })
}

// Findings lists what is found in the map after the changes and was not before, and
// the other way round, of all that was found before.
func (t *Trial) Findings(before []finding.Finding) TurnedFindings {
	return turnedFindings(before, check.Findings(t.Atlas))
}

// Guarantees lists what is broken after the changes and was not before, and the
// other way round, of what is known of those before.
func (t *Trial) Guarantees(before []check.Guaranteed) TurnedGuarantees {
	return turnedGuarantees(before, check.Guarantees(t.Atlas))
}

// Package query answers questions from one map: what people can do, why, and why not, and what
// is worth finding in it. It changes nothing, and keeps nothing but what it computed.
package query

import (
	"context"
	"sync"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/service/page"
)

// Answers answers from one atlas.
type Answers struct {
	Atlas *atlas.Atlas
	Holdings
	Records
	Checks
}

// Holdings say what people hold, and why.
type Holdings struct{ atlas *atlas.Atlas }

// Records say what directories and systems have.
type Records struct{ atlas *atlas.Atlas }

// Checks say what is worth finding in the map, and whether its guarantees are kept.
type Checks struct {
	atlas *atlas.Atlas
	// Found gives the findings, which are computed when first asked for.
	Found func() []finding.Finding
	// Kept looks whether the guarantees are kept, likewise.
	Kept func() []check.Guaranteed

	finder *finder
	more   []finding.Finding // that are none of the map itself
	really Guarantee         // looks at those that are asked of what is really there; nil: nobody does
}

// Guarantee looks whether a guarantee is kept.
type Guarantee func(ctx context.Context, a *atlas.Atlas, p *atlas.Promise) check.Guaranteed

// From answers from an atlas.
func From(a *atlas.Atlas) Answers {
	f := newFinder(a)
	kept := sync.OnceValue(func() []check.Guaranteed { return check.Guarantees(a) })
	return Answers{a, Holdings{a}, Records{a}, Checks{atlas: a, Found: f.all, Kept: kept, finder: f}}
}

func (a Holdings) Why(
	_ context.Context,
	user, system, right, object string,
	s situation.Situation,
) (*answer.Why, error) {
	u, facts, err := a.subject(user, s)
	if err != nil {
		return nil, err
	}
	in, point, err := pointOf(a.atlas, system, right, object)
	if err != nil {
		return nil, err
	}
	w := &answer.Why{User: a.atlas.Book.UserName(u), Situation: s.Facts(), Ways: []answer.Way{}}
	w.Entitlement, w.Lines = a.atlas.Explain(u, facts, in, point)
	for _, way := range a.atlas.Ways(a.atlas.Question(u, facts), s, in, point, &w.Entitlement) {
		w.Ways = append(w.Ways, answer.NewWay(way, w.User))
	}
	w.Sentences = answer.Sentences(w, a.atlas.Book.User(u).Attributes.First("displayName"))
	return w, nil
}

func (a Holdings) Who(ctx context.Context, system, right, object string, s situation.Situation) (*answer.Who, error) {
	return a.WhoPage(ctx, system, right, object, s, 0, "")
}

// WhoPage is a page of Who; a limit of 0 is all.
func (a Holdings) WhoPage(
	_ context.Context,
	system, right, object string,
	s situation.Situation,
	limit int,
	cursor string,
) (*answer.Who, error) {
	from, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	in, point, err := pointOf(a.atlas, system, right, object)
	if err != nil {
		return nil, err
	}
	facts, err := a.atlas.Facts(s)
	if err != nil {
		return nil, err
	}
	w := &answer.Who{
		System:    in.Name(),
		Right:     right,
		Object:    point.Object(),
		DecidedAt: a.atlas.DecidedAt(point),
		Situation: s.Facts(),
		Users:     []answer.Holder{},
	}
	holders := a.atlas.Who(facts, in, point)
	w.Total = holders.Count
	at := 0
	for u := range holders.Users {
		if at++; at <= from {
			continue
		}
		if limit > 0 && len(w.Users) == limit {
			break
		}
		e := holders.Entitlement(u)
		w.Users = append(w.Users, answer.Holder{
			User: a.atlas.Book.UserName(
				u,
			), State: e.State, Breadth: e.Breadth, Reply: e.Reply, Needs: e.Needs, OpenIf: e.OpenIf, More: e.More,
			ShutBy: e.ShutBy, Routes: e.Routes,
		})
	}
	w.Next = page.Next(from, len(w.Users), w.Total)
	return w, nil
}

func (a Holdings) Compare(_ context.Context, first, second string, s situation.Situation) (*answer.Compare, error) {
	one, facts, err := a.subject(first, s)
	if err != nil {
		return nil, err
	}
	two, err := a.atlas.Book.FindUser(second, "")
	if err != nil {
		return nil, err
	}
	return &answer.Compare{
		First: a.atlas.Book.UserName(one), Second: a.atlas.Book.UserName(two), Situation: s.Facts(),
		Compared: change.People(a.atlas, one, two, facts),
	}, nil
}

func (a Holdings) subject(user string, s situation.Situation) (directory.UserID, *situation.Facts, error) {
	u, err := a.atlas.Book.FindUser(user, "")
	if err != nil {
		return 0, nil, err
	}
	facts, err := a.atlas.Facts(s)
	return u, facts, err
}

// subjectIn is subject with the system that is asked about; nil for all.
func (a Holdings) subjectIn(
	user, system string,
	s situation.Situation,
) (u directory.UserID, facts *situation.Facts, within *atlas.System, err error) {
	if u, facts, err = a.subject(user, s); err == nil {
		within, err = systemIn(a.atlas, system)
	}
	return u, facts, within, err
}

func pointOf(a *atlas.Atlas, system, right, object string) (*atlas.System, rule.Permission, error) {
	s, err := a.System(system)
	if err != nil {
		return nil, nil, err
	}
	p, err := s.Gate.At(object, right)
	return s, p, err
}

package query

import (
	"context"
	"slices"
	"time"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Hours computes a person's week on the map's wall clock, the one in which the
// situation's time lies: in which spans each entitlement is in which state, to the second.
func (a Holdings) Hours(ctx context.Context, user, system string, s situation.Situation) (*answer.Hours, error) {
	if s.At.IsZero() {
		return nil, &situation.FieldError{Field: "at", Problem: "a time is needed, to say which week"}
	}
	u, err := a.atlas.Book.FindUser(user, "")
	if err != nil {
		return nil, err
	}
	within, err := systemIn(a.atlas, system)
	if err != nil {
		return nil, err
	}
	zone := a.atlas.Frame.Zone
	monday := a.atlas.Frame.Monday(s.At)
	given := s.Facts()
	delete(given, "at")
	h := &answer.Hours{
		User: a.atlas.Book.UserName(u), Situation: given, TimeZone: zone.String(), Weeks: []answer.Week{},
		Monday: monday.Format(time.DateOnly),
	}
	edges := a.atlas.Frame.Edges(monday, endsOf(a.atlas, u, within)...)
	weeks := map[answer.Column][]answer.Span{}
	for i, from := range edges[:len(edges)-1] {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		s.At = from
		facts, err := a.atlas.Facts(s)
		if err != nil {
			return nil, err
		}
		for _, e := range a.atlas.Reach(u, facts, within) {
			c := answer.Column{System: e.System, Object: e.Object, Right: e.Right}
			weeks[c] = span(weeks[c], edges[0], answer.Span{From: from, To: edges[i+1], State: e.State, OpenIf: e.OpenIf})
		}
	}
	for c, spans := range weeks {
		h.Weeks = append(h.Weeks, answer.Week{Column: c, Spans: until(spans, edges[len(edges)-1])})
	}
	slices.SortFunc(h.Weeks, func(x, y answer.Week) int { return compareColumns(x.Column, y.Column) })
	return h, nil
}

// span adds a span to those of a week that begins at a time. What is between them is none.
func span(list []answer.Span, begin time.Time, next answer.Span) []answer.Span {
	list = until(list, next.From)
	if len(list) == 0 && begin.Before(next.From) {
		list = append(list, answer.Span{From: begin, To: next.From, State: rule.None, OpenIf: [][]situation.Need{}})
	}
	if last := len(list) - 1; last >= 0 && list[last].State == next.State &&
		slices.EqualFunc(list[last].OpenIf, next.OpenIf, slices.Equal[[]situation.Need]) {
		list[last].To = next.To
		return list
	}
	return append(list, next)
}

// until makes spans reach up to a time.
func until(list []answer.Span, to time.Time) []answer.Span {
	last := len(list) - 1
	switch {
	case last < 0 || !list[last].To.Before(to):
	case list[last].State == rule.None:
		list[last].To = to
	default:
		list = append(list, answer.Span{From: list[last].To, To: to, State: rule.None, OpenIf: [][]situation.Need{}})
	}
	return list
}

// endsOf are the times at which accounts end that count for a user: the user's own, and,
// where seats are short, those of others.
func endsOf(a *atlas.Atlas, u directory.UserID, within *atlas.System) (ends []time.Time) {
	book := a.Book
	seats := slices.ContainsFunc(a.Systems, func(s *atlas.System) bool {
		return (within == nil || within == s) &&
			slices.ContainsFunc(s.Site.Seats(book), func(p gate.Seats) bool { return p.Seats > 0 })
	})
	for x := range book.AllUsers {
		if (x == u || seats) && book.Bounded(x) && !book.User(x).Expires.IsZero() {
			ends = append(ends, book.User(x).Expires.Time)
		}
	}
	return ends
}

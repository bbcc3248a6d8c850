package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Matrix puts people against entitlements, of one system or all, of one group's
// members or everyone, of rights like a pattern or all.
func (a Answers) Matrix(ctx context.Context, system, group, right string, s situation.Situation) (*answer.Matrix, error) {
	facts, err := a.Atlas.Facts(s)
	if err != nil {
		return nil, err
	}
	within, err := a.within(system)
	if err != nil {
		return nil, err
	}
	people, err := a.people(group)
	if err != nil {
		return nil, err
	}
	if len(people) > maxRows {
		return nil, &situation.FieldError{Field: "group", Value: group, Problem: fmt.Sprintf("a matrix is of at most %d people, and these are %d: name a smaller group", maxRows, len(people))}
	}
	pattern := gate.Pattern{Text: place.Text{Value: cmp.Or(right, "*")}}
	held := make([]map[answer.Column]gate.Entitlement, len(people))
	columns := map[answer.Column]bool{}
	for i, u := range people {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		held[i] = map[answer.Column]gate.Entitlement{}
		for _, e := range a.Atlas.Reach(u, facts, within) {
			if pattern.Matches(e.Right) {
				c := answer.Column{System: e.System, Object: e.Object, Right: e.Right}
				held[i][c], columns[c] = e, true
			}
		}
	}
	m := &answer.Matrix{Situation: s.Facts(), Columns: []answer.Column{}, Rows: []answer.Row{}}
	for c := range columns {
		m.Columns = append(m.Columns, c)
	}
	slices.SortFunc(m.Columns, compareColumns)
	for i, u := range people {
		if len(held[i]) == 0 {
			continue
		}
		row := answer.Row{User: a.Atlas.Book.UserName(u), States: make([]gate.State, len(m.Columns))}
		for j, c := range m.Columns {
			e := held[i][c]
			if row.States[j] = e.State; e.Breadth == "" {
				continue
			}
			if row.Breadths == nil {
				row.Breadths = make([]string, len(m.Columns))
			}
			row.Breadths[j] = e.Breadth
		}
		m.Rows = append(m.Rows, row)
	}
	return m, nil
}

func compareColumns(a, b answer.Column) int {
	return cmp.Or(strings.Compare(a.System, b.System), strings.Compare(a.Object, b.Object), strings.Compare(a.Right, b.Right))
}

// within finds a system; nil if none is named.
func (a Answers) within(system string) (*atlas.System, error) {
	if system == "" {
		return nil, nil
	}
	return a.Atlas.System(system)
}

// people are the members of a group, or everyone.
func (a Answers) people(group string) ([]directory.UserID, error) {
	var people []directory.UserID
	if group == "" {
		for u := range directory.UserID(a.Atlas.Book.Users()) {
			people = append(people, u)
		}
		return people, nil
	}
	g, err := a.Atlas.Book.FindGroup(group, "")
	if err != nil {
		return nil, err
	}
	for _, m := range a.Atlas.Book.Members(g) {
		people = append(people, m.User)
	}
	return people, nil
}

// maxRows is how many people a matrix has at the most.
const maxRows = 5000

const hoursOfWeek = 7 * 24

// Hours computes a person's week, hour by hour on the map's wall clock: the
// week in which the situation's time lies.
func (a Answers) Hours(_ context.Context, user, system string, s situation.Situation) (*answer.Hours, error) {
	if s.At.IsZero() {
		return nil, &situation.FieldError{Field: "at", Problem: "a time is needed, to say which week"}
	}
	u, err := a.Atlas.Book.FindUser(user, "")
	if err != nil {
		return nil, err
	}
	within, err := a.within(system)
	if err != nil {
		return nil, err
	}
	zone := a.Atlas.Frame.Zone
	local := s.At.In(zone)
	year, month, day := local.Date()
	day -= (int(local.Weekday()) + 6) % 7
	given := s.Facts()
	delete(given, "at")
	h := &answer.Hours{
		User: a.Atlas.Book.UserName(u), Situation: given, TimeZone: zone.String(), Weeks: []answer.Week{},
		Monday: time.Date(year, month, day, 0, 0, 0, 0, zone).Format(time.DateOnly),
	}
	weeks := map[answer.Column][]gate.State{}
	for hour := range hoursOfWeek {
		s.At = time.Date(year, month, day, hour, 0, 0, 0, zone)
		facts, err := a.Atlas.Facts(s)
		if err != nil {
			return nil, err
		}
		for _, e := range a.Atlas.Reach(u, facts, within) {
			c := answer.Column{System: e.System, Object: e.Object, Right: e.Right}
			if weeks[c] == nil {
				weeks[c] = make([]gate.State, hoursOfWeek)
			}
			weeks[c][hour] = e.State
		}
	}
	for c, states := range weeks {
		h.Weeks = append(h.Weeks, answer.Week{Column: c, Hours: states})
	}
	slices.SortFunc(h.Weeks, func(x, y answer.Week) int { return compareColumns(x.Column, y.Column) })
	return h, nil
}

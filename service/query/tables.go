package query

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Matrix puts people against entitlements, of one system or all, of one group's
// members or everyone, of rights like a pattern or all.
func (a Holdings) Matrix(
	ctx context.Context, system, group, right string, s situation.Situation,
) (*answer.Matrix, error) {
	facts, err := a.atlas.Facts(s)
	if err != nil {
		return nil, err
	}
	within, err := systemIn(a.atlas, system)
	if err != nil {
		return nil, err
	}
	people, err := peopleIn(a.atlas, group)
	if err != nil {
		return nil, err
	}
	if len(people) > maxRows {
		return nil, &situation.FieldError{Field: "group", Value: group,
			Problem: fmt.Sprintf("a matrix is of at most %d people, and these are %d: name a smaller group", maxRows,
				len(people))}
	}
	pattern := gate.Pattern{Text: place.Text{Value: cmp.Or(right, "*")}}
	held := make([]map[answer.Column]rule.Entitlement, len(people))
	columns := map[answer.Column]bool{}
	for i, u := range people {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		held[i] = map[answer.Column]rule.Entitlement{}
		for _, e := range a.atlas.Reach(u, facts, within) {
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
		if len(held[i]) > 0 {
			m.Rows = append(m.Rows, rowOf(a.atlas.Book.UserName(u), m.Columns, held[i]))
		}
	}
	return m, nil
}

// rowOf is what a user holds, in the order of some columns.
func rowOf(user string, columns []answer.Column, held map[answer.Column]rule.Entitlement) answer.Row {
	row := answer.Row{User: user, States: make([]rule.State, len(columns))}
	for j, c := range columns {
		e := held[c]
		row.States[j] = e.State
		if e.Breadth != "" {
			if row.Breadths == nil {
				row.Breadths = make([]string, len(columns))
			}
			row.Breadths[j] = e.Breadth
		}
		if e.Reply != nil {
			if row.Replies == nil {
				row.Replies = map[int]map[string]any{}
			}
			row.Replies[j] = e.Reply
		}
	}
	return row
}

func compareColumns(a, b answer.Column) int {
	return cmp.Or(strings.Compare(a.System, b.System), strings.Compare(a.Object, b.Object),
		strings.Compare(a.Right, b.Right))
}

// systemIn finds a system; nil if none is named.
func systemIn(a *atlas.Atlas, system string) (*atlas.System, error) {
	if system == "" {
		return nil, nil
	}
	return a.System(system)
}

// peopleIn are the members of a group, or everyone.
func peopleIn(a *atlas.Atlas, group string) ([]directory.UserID, error) {
	var people []directory.UserID
	if group == "" {
		for u := range a.Book.AllUsers {
			people = append(people, u)
		}
		return people, nil
	}
	g, err := a.Book.FindGroup(group, "")
	if err != nil {
		return nil, err
	}
	for _, m := range a.Book.Members(g) {
		people = append(people, m.User)
	}
	return people, nil
}

// maxRows is how many people a matrix has at the most.
const maxRows = 5000

package history

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/service/content"
	"gatemap/service/page"
	"gatemap/stage"
	"gatemap/store"
)

// List lists the newest revisions before one, the newest first; before 0 begins
// with the newest.
func (s *History) List(ctx context.Context, limit int, cursor string) (*answer.Revisions, error) {
	before, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	list, err := s.store.Revisions(ctx, before, limit+1)
	if err != nil {
		return nil, err
	}
	out := &answer.Revisions{Revisions: []answer.Revision{}}
	list, out.Next = page.Cut(list, limit, func(r *store.Revision) int64 { return int64(r.Number) })
	for _, r := range list {
		out.Revisions = append(out.Revisions, described(r))
	}
	return out, nil
}

func described(r store.Revision) answer.Revision {
	return answer.Revision{
		Number:    r.Number,
		At:        r.At,
		Author:    r.Author,
		Reason:    r.Reason,
		Trial:     r.Trial,
		Reverts:   r.Reverts,
		Overrides: r.Overrides,
	}
}

// mostTurned is how many of the records that a revision changed it lists.
const mostTurned = 1000

// Revision is one revision with what it changed. The error is a
// *directory.NotFoundError.
func (s *History) Revision(ctx context.Context, number int) (*answer.Revision, error) {
	r, ok, err := s.store.Revision(ctx, number)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, &directory.NotFoundError{Kind: "revision", Name: fmt.Sprint(number)}
	}
	d := described(r)
	arrived, err := s.store.Arrivals(ctx, number)
	if err != nil {
		return nil, err
	}
	for _, a := range arrived {
		d.Arrived = append(d.Arrived, answer.Arrival{System: a.System, At: a.Ended, Delivery: a.ID, Revision: a.Revision})
	}
	written, err := s.store.WritesOf(ctx, number)
	if err != nil {
		return nil, err
	}
	for _, w := range written {
		d.Written = append(d.Written, answer.Writing{Directory: w.Directory, At: w.Ended})
	}
	if r.Changes == nil {
		d.Changes, err = s.turned(ctx, number)
		return &d, err
	}
	var changes []stage.Signed
	if err := json.Unmarshal(r.Changes, &changes); err != nil {
		return nil, err
	}
	for _, c := range changes {
		d.Changes = append(d.Changes, c.Sentence())
	}
	return &d, nil
}

// turned says in sentences what a revision changed in documents and records, for as many
// rows as one shows.
func (s *History) turned(ctx context.Context, number int) ([]string, error) {
	turns, err := s.store.Turned(ctx, number, mostTurned+1)
	if err != nil {
		return nil, err
	}
	more := len(turns) > mostTurned
	if more {
		turns = turns[:mostTurned]
	}
	var lines []string
	before, after := map[string]connect.Records{}, map[string]connect.Records{}
	for _, t := range turns {
		if t.Key.Path != "" {
			lines = append(lines, documentWords(t))
			continue
		}
		after[t.Key.Directory] = after[t.Key.Directory] // so that a directory that only lost records is there too
		for _, side := range []struct {
			to   map[string]connect.Records
			body []byte
		}{{before, t.Before}, {after, t.After}} {
			if side.body == nil {
				continue
			}
			if err := content.Take(side.to, store.Row{Key: t.Key, Body: side.body}); err != nil {
				return nil, err
			}
		}
	}
	for _, named := range slices.Sorted(maps.Keys(after)) {
		_, d := connect.Settle(before[named], after[named])
		for _, line := range deltaWords(&d) {
			lines = append(lines, named+": "+line)
		}
	}
	if more {
		lines = append(lines, fmt.Sprintf("and more than these %d", mostTurned))
	}
	return lines, nil
}

func documentWords(t store.Turn) string {
	switch {
	case t.Before == nil:
		return t.Key.Path + " is new"
	case t.After == nil:
		return t.Key.Path + " goes"
	}
	return t.Key.Path + " is changed"
}

// deltaWords says in sentences what differs, a line for each record.
func deltaWords(d *connect.Delta) (lines []string) {
	add := func(format string, args ...any) { lines = append(lines, fmt.Sprintf(format, args...)) }
	for _, u := range d.Joined {
		add("%s joins", u.Name)
	}
	for _, u := range d.Left {
		add("%s leaves", u.Name)
	}
	for _, c := range d.Changed {
		add("%s: %s", c.After.Name, connect.FieldWords(c.Fields))
	}
	for _, g := range d.NewGroups {
		add("group %s is new", g.Name)
	}
	for _, g := range d.GoneGroups {
		add("group %s goes", g.Name)
	}
	for _, c := range d.ChangedGroups {
		add("group %s: %s", c.After.Name, c.Words())
	}
	for _, x := range d.NewDevices {
		add("device %s is new", x.Name)
	}
	for _, x := range d.GoneDevices {
		add("device %s goes", x.Name)
	}
	for _, c := range d.OtherDevices {
		add("device %s: %s", c.After.Name, connect.FieldWords(c.Fields))
	}
	return lines
}

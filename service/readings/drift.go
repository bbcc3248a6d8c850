package readings

import (
	"context"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/name"
	"gatemap/core/reading"
	"gatemap/service/page"
)

// Drift tells how a system differs from the map; a part of it, by asked.
func (s *Readings) Drift(ctx context.Context, system string, asked answer.DriftAsked) (*answer.Drift, error) {
	from, err := page.Read(asked.Cursor)
	if err != nil {
		return nil, err
	}
	head := s.Head()
	document, err := linked(head, system)
	if err != nil {
		return nil, err
	}
	drift, err := s.drifted(ctx, head, document)
	if err != nil {
		return nil, err
	}
	real := drift.Of
	out := &answer.Drift{
		ReadingInfo: *infoOf(real, document), Lines: []answer.DriftLine{}, Causes: []answer.DriftCause{},
		Items:   []answer.DriftItem{},
		Unknown: []answer.Stranger{}, Unclear: []answer.Unclear{},
	}
	for _, a := range real.Strangers() {
		out.Unknown = append(out.Unknown, answer.Stranger{Name: a.Name, Active: a.Active, Note: a.Note})
	}
	for named, records := range real.Unclear {
		out.Unclear = append(out.Unclear, answer.Unclear{Name: named, Records: records})
	}
	slices.SortFunc(out.Unclear, func(a, b answer.Unclear) int { return strings.Compare(a.Name, b.Name) })
	for i := range drift.Lines {
		l := &drift.Lines[i]
		side := "map"
		if l.Real {
			side = "system"
		}
		line := answer.DriftLine{
			Line:     l.Name,
			Side:     side,
			Same:     l.Same,
			All:      l.All,
			Lacking:  []answer.DriftGrant{},
			Sentence: answer.DriftLineWords(l),
		}
		for _, g := range l.Lacking {
			line.Lacking = append(line.Lacking, answer.DriftGrant(g))
		}
		out.Lines = append(out.Lines, line)
	}
	for i := range drift.Causes {
		c := &drift.Causes[i]
		out.Causes = append(out.Causes, answer.DriftCause{
			Effect: c.Effect, Why: c.Why, User: c.User, Group: c.Group, There: c.There, Line: c.Line, People: c.Users,
			Items: c.Items, Sentence: answer.DriftCauseWords(c),
		})
	}
	items(out, drift, asked, from)
	return out, nil
}

// items adds the page of items that is asked for.
func items(out *answer.Drift, drift *reading.Drift, asked answer.DriftAsked, from int) {
	sides, end := drift.Sides(), len(drift.Items)
	if asked.Limit > 0 {
		end = from + asked.Limit
	}
	for i := range drift.Items {
		x := &drift.Items[i]
		if asked.Effect != "" && string(x.Effect()) != asked.Effect || asked.User != "" && !name.Equal(x.User, asked.User) {
			continue
		}
		if x.Effect() == reading.Excess {
			out.Excess++
		} else {
			out.Short++
		}
		if at := out.Total; at >= from && at < end {
			here, there := sides(x)
			d := answer.DriftItem{
				Effect: x.Effect(), User: x.User, Object: x.Object, Right: x.Right, Map: x.Here, Really: x.There,
				OpenIf: here.OpenIf, MapRoute: here.Routes, ReallyRoute: there.Routes, Cause: int(x.Cause),
			}
			out.Items = append(out.Items, answer.Filled(d))
		}
		out.Total++
	}
	out.Next = page.Next(from, len(out.Items), out.Total)
}

// Drifts are those of all linked systems that were read, by name; of one, where it is named.
func (s *Readings) Drifts(ctx context.Context, system string, asked answer.DriftAsked) (*answer.Drifts, error) {
	all := &answer.Drifts{Drifts: []answer.Drift{}, Unread: []answer.Linked{}}
	if system != "" {
		d, err := s.Drift(ctx, system, asked)
		if err != nil {
			return nil, err
		}
		all.Drifts, all.Next = append(all.Drifts, *d), d.Next
		return all, nil
	}
	for d := range linkedIn(s.Head()) {
		one, err := s.Drift(ctx, d.Name, asked)
		if err != nil {
			all.Unread = append(all.Unread, answer.Linked{System: d.Name, Kind: d.Link.Connection.Name, Error: err.Error()})
			continue
		}
		all.Drifts = append(all.Drifts, *one)
	}
	return all, nil
}

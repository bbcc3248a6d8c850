package query

import (
	"context"
	"slices"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Probe is Why, with the part that every line of the system plays on the way.
func (a Holdings) Probe(
	ctx context.Context,
	user, system, right, object string,
	s situation.Situation,
) (*answer.Probe, error) {
	why, err := a.Why(ctx, user, system, right, object, s)
	if err != nil {
		return nil, err
	}
	u, facts, err := a.subject(user, s)
	if err != nil {
		return nil, err
	}
	in, point, err := pointOf(a.atlas, system, right, object)
	if err != nil {
		return nil, err
	}
	return &answer.Probe{Why: *why, Passes: a.atlas.Walk(u, facts, in, point)}, nil
}

// Lines lists the lines of a system, with where they stand and for how many people
// they are. The error is a *directory.NotFoundError.
func (h *Head) Lines(_ context.Context, written string) (*answer.Lines, error) {
	s, err := h.Atlas.System(written)
	if err != nil {
		return nil, err
	}
	return &answer.Lines{System: s.Name(), Lines: h.lines(s, nil)}, nil
}

// Opens lists the lines that name a group, or one into which its members flow: all
// that being in it opens. The error is a *directory.NotFoundError.
func (h *Head) Opens(_ context.Context, written string) (*answer.Opened, error) {
	book := h.Atlas.Book
	g, err := book.FindGroup(written, "")
	if err != nil {
		return nil, err
	}
	o := &answer.Opened{Group: book.GroupName(g), Lines: []answer.Line{}}
	for _, s := range h.Atlas.Systems {
		lines := h.lines(s, func(c *rule.Rule) bool {
			return slices.ContainsFunc(c.Groups, func(named directory.GroupID) bool { return book.Flows(g, named) })
		})
		for i := range lines {
			lines[i].Groups = slices.DeleteFunc(lines[i].Groups, func(named string) bool {
				outer, err := book.LookGroup(named, "")
				return err != nil || !book.Flows(g, outer)
			})
		}
		o.Lines = append(o.Lines, lines...)
	}
	return o, nil
}

// lines are those lines of a system of which some rule is wanted; without wanted
// all of them.
func (h *Head) lines(s *atlas.System, wanted func(*rule.Rule) bool) []answer.Line {
	all := wanted == nil
	rules := map[string][]*rule.Rule{}
	for _, r := range s.Site.Index.All() {
		if all || wanted(r) {
			rules[r.Name] = append(rules[r.Name], r)
		}
	}
	lines := []answer.Line{}
	if len(rules) == 0 && !all {
		return lines
	}
	written := h.Folder.Files.Lines(s)
	for _, named := range s.Lines() {
		if len(rules[named]) == 0 {
			continue
		}
		at := s.Site.Places[named]
		line := answer.Line{
			Line:   named,
			System: s.Name(),
			Type:   s.Document.Type.Name,
			File:   at.File,
			Row:    int(at.Line),
			Groups: []string{},
		}
		for _, r := range rules[named] {
			line.People = max(line.People, h.Atlas.People(r))
			line.Groups = append(line.Groups, groupNames(h.Atlas.Book, r.Groups)...)
		}
		if e, ok := written[named]; ok {
			line.List, line.Number, line.Value = e.List, e.Number, e.Value
		}
		lines = append(lines, line)
	}
	return lines
}

package query

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/rule"
)

// Chart draws the whole map together: the systems, and the groups that open most to
// most people, at most as many as asked for.
func (h *Head) Chart(most int) *answer.Chart {
	c := &answer.Chart{Revision: h.Revision.Number, Groups: []answer.ChartGroup{}, Systems: []answer.ChartSystem{}, Links: []answer.ChartLink{}}
	named := map[directory.GroupID]map[string]int{} // lines, by system
	for _, s := range h.Atlas.Systems {
		x := answer.ChartSystem{System: s.Name(), Type: s.Document.Type.Name, Title: s.Document.Title, Lines: len(s.Lines()), Behind: []string{}}
		for _, before := range h.Atlas.Behind(s) {
			x.Behind = append(x.Behind, before.Name())
		}
		rules := s.Site.Index.All()
		x.People = len(rule.Candidates(h.Atlas.Book, rules))
		for _, r := range rules {
			x.Everyone = x.Everyone || r.Everyone && !r.Tested
			for _, g := range r.Groups {
				if named[g] == nil {
					named[g] = map[string]int{}
				}
				named[g][s.Name()]++
			}
		}
		c.Systems = append(c.Systems, x)
	}
	members := map[directory.GroupID]int{}
	groups := make([]directory.GroupID, 0, len(named))
	for g := range named {
		groups, members[g] = append(groups, g), len(h.Atlas.Book.Among([]directory.GroupID{g}, nil))
	}
	weight := func(g directory.GroupID) int { return members[g] * len(named[g]) }
	slices.SortFunc(groups, func(a, b directory.GroupID) int { return cmp.Or(weight(b)-weight(a), cmp.Compare(a, b)) })
	if len(groups) > most {
		groups, c.Left = groups[:most], len(groups)-most
	}
	for _, g := range groups {
		group := h.Atlas.Book.GroupName(g)
		c.Groups = append(c.Groups, answer.ChartGroup{Group: group, People: members[g]})
		for system, lines := range named[g] {
			c.Links = append(c.Links, answer.ChartLink{Group: group, System: system, Lines: lines})
		}
	}
	slices.SortFunc(c.Links, func(a, b answer.ChartLink) int {
		return cmp.Or(strings.Compare(a.System, b.System), strings.Compare(a.Group, b.Group))
	})
	return c
}

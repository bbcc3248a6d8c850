package query

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// charting draws a chart, or a part of one.
type charting struct {
	*answer.Chart
	book    *directory.Book
	systems []*atlas.System
	groups  map[directory.GroupID]bool // the only ones that count; nil: all do
	user    *directory.Subject         // only what is for this user; nil: for anyone
}

// Chart draws the map together: the systems, and on the other side the groups that open most to
// most people, or the people by what they have in common. The error is a *directory.NotFoundError.
func (h *Head) Chart(a answer.ChartAsked) (*answer.Chart, error) {
	c := &charting{
		Chart: &answer.Chart{
			Revision: h.Revision.Number, By: cmp.Or(a.By, "group"),
			Groups: []answer.ChartGroup{}, Systems: []answer.ChartSystem{}, Links: []answer.ChartLink{},
		},
		book: h.Atlas.Book, systems: h.Atlas.Systems,
	}
	if err := c.narrow(h.Atlas, a); err != nil {
		return nil, err
	}
	switch {
	case a.By != "" && a.By != "group":
		c.byPeople(h.Atlas, a)
	default:
		c.byGroups(h.Atlas, a.Most)
	}
	slices.SortFunc(c.Links, func(a, b answer.ChartLink) int {
		return cmp.Or(strings.Compare(a.System, b.System), strings.Compare(a.Group, b.Group))
	})
	return c.Chart, nil
}

// narrow leaves the neighbourhood of what was asked for: of a system those in front of it and behind
// it, of a group and a user what they lead to.
func (c *charting) narrow(a *atlas.Atlas, asked answer.ChartAsked) error {
	keep := func(is func(*atlas.System) bool) {
		c.systems = slices.DeleteFunc(slices.Clone(c.systems), func(s *atlas.System) bool { return !is(s) })
	}
	if asked.Type != "" {
		keep(func(s *atlas.System) bool { return s.Document.Type.Name == asked.Type })
	}
	if asked.System != "" {
		of, err := a.System(asked.System)
		if err != nil {
			return err
		}
		keep(func(s *atlas.System) bool {
			return s == of || slices.Contains(a.Behind(of), s) || slices.Contains(a.Behind(s), of)
		})
		c.groups = map[directory.GroupID]bool{}
		for _, r := range of.Site.Index.All() {
			for _, g := range r.Groups {
				c.groups[g] = true
			}
		}
	}
	if asked.Group != "" {
		g, err := c.book.FindGroup(asked.Group, "")
		if err != nil {
			return err
		}
		c.groups = map[directory.GroupID]bool{}
		for next := []directory.GroupID{g}; len(next) > 0; next = next[1:] {
			if !c.groups[next[0]] {
				c.groups[next[0]] = true
				next = append(next, c.book.Holders(next[0])...)
			}
		}
	}
	if asked.User != "" {
		u, err := c.book.FindUser(asked.User, "")
		if err != nil {
			return err
		}
		c.user = c.book.Subject(u)
		c.groups = map[directory.GroupID]bool{}
		for _, g := range c.user.Groups() {
			c.groups[g] = true
		}
	}
	if asked.Group != "" || asked.User != "" {
		keep(func(s *atlas.System) bool { return slices.ContainsFunc(s.Site.Index.All(), c.leads) })
	}
	return nil
}

// leads says whether a line is for what was asked for.
func (c *charting) leads(r *rule.Rule) bool {
	return slices.ContainsFunc(r.Groups, func(g directory.GroupID) bool { return c.groups[g] }) ||
		c.user != nil && slices.Contains(r.Users, c.user.ID)
}

// system is a system as it is drawn, without how many people its lines name.
func (c *charting) system(a *atlas.Atlas, s *atlas.System) answer.ChartSystem {
	x := answer.ChartSystem{
		System: s.Name(),
		Type:   s.Document.Type.Name,
		Title:  s.Document.Title,
		Lines:  len(s.Lines()),
		Behind: []string{},
	}
	for _, before := range a.Behind(s) {
		x.Behind = append(x.Behind, before.Name())
	}
	for _, r := range s.Site.Index.All() {
		x.Everyone = x.Everyone || r.Everyone && !r.Tested
	}
	return x
}

// byGroups draws the groups that open most to most people, at most as many as asked for.
func (c *charting) byGroups(a *atlas.Atlas, most int) {
	named := map[directory.GroupID]map[string]int{} // lines, by system
	for _, s := range c.systems {
		x := c.system(a, s)
		x.People = len(rule.Candidates(c.book, s.Site.Index.All()))
		c.Systems = append(c.Systems, x)
		direct := 0
		for _, r := range s.Site.Index.All() {
			if c.user != nil && slices.Contains(r.Users, c.user.ID) {
				direct++
			}
			for _, g := range r.Groups {
				if c.groups != nil && !c.groups[g] {
					continue
				}
				if named[g] == nil {
					named[g] = map[string]int{}
				}
				named[g][s.Name()]++
			}
		}
		if direct > 0 {
			c.Links = append(
				c.Links,
				answer.ChartLink{Group: c.book.UserName(c.user.ID), System: s.Name(), Lines: direct, People: 1},
			)
		}
	}
	if len(c.Links) > 0 { // lines that name the user
		c.Groups = append(c.Groups, answer.ChartGroup{Group: c.book.UserName(c.user.ID), Kind: "user", People: 1})
	}
	members := map[directory.GroupID]int{}
	groups := slices.Collect(maps.Keys(named))
	for _, g := range groups {
		members[g] = len(c.book.Among([]directory.GroupID{g}, nil))
	}
	weight := func(g directory.GroupID) int { return members[g] * len(named[g]) }
	slices.SortFunc(groups, func(a, b directory.GroupID) int { return cmp.Or(weight(b)-weight(a), cmp.Compare(a, b)) })
	if len(groups) > most {
		groups, c.Left = groups[:most], len(groups)-most
	}
	for _, g := range groups {
		group := c.book.GroupName(g)
		c.Groups = append(c.Groups, answer.ChartGroup{Group: group, Kind: "group", People: members[g]})
		for system, lines := range named[g] {
			c.Links = append(c.Links, answer.ChartLink{Group: group, System: system, Lines: lines, People: members[g]})
		}
	}
}

// byPeople draws people by an attribute, or by their directory, and where asked for the systems of
// one type together.
func (c *charting) byPeople(a *atlas.Atlas, asked answer.ChartAsked) {
	class := make([]int32, c.book.UserCount())
	number, count := map[string]int32{}, map[int32]int{}
	var labels []string
	for u := range c.book.AllUsers {
		value := c.book.UserHome(u)
		if asked.By != "directory" {
			value = c.book.User(u).Attributes.First(asked.By)
		}
		n, known := number[name.Fold(value)]
		if !known {
			n = int32(len(labels))
			number[name.Fold(value)] = n
			labels = append(labels, value)
		}
		class[u] = n
		count[n]++
	}
	shown := slices.Sorted(maps.Keys(count))
	slices.SortStableFunc(shown, func(a, b int32) int { return count[b] - count[a] })
	if len(shown) > asked.Most {
		shown, c.Left = shown[:asked.Most], len(shown)-asked.Most
	}
	for _, n := range shown {
		c.Groups = append(c.Groups, answer.ChartGroup{Group: labels[n], Kind: "people", People: count[n]})
	}
	seen := make([]int32, len(class)) // the last thing that a user was counted for
	for i, together := range c.together(asked.Types) {
		named, all := map[int32]int{}, 0
		x := c.system(a, together[0])
		if asked.Types {
			x.System, x.Title, x.Behind, x.Systems = x.Type, "", []string{}, len(together)
			for _, s := range together[1:] {
				one := c.system(a, s)
				x.Lines, x.Everyone = x.Lines+one.Lines, x.Everyone || one.Everyone
			}
		}
		for _, s := range together {
			for _, u := range rule.Candidates(c.book, s.Site.Index.All()) {
				if seen[u] != int32(i+1) {
					seen[u] = int32(i + 1)
					named[class[u]]++
					all++
				}
			}
		}
		x.People = all
		c.Systems = append(c.Systems, x)
		for _, n := range shown {
			if named[n] > 0 {
				c.Links = append(c.Links, answer.ChartLink{Group: labels[n], System: x.System, Lines: x.Lines, People: named[n]})
			}
		}
	}
}

// together are the systems, each alone or by their types.
func (c *charting) together(byType bool) (all [][]*atlas.System) {
	at := map[string]int{}
	for _, s := range c.systems {
		t := s.Document.Type.Name
		if n, known := at[t]; byType && known {
			all[n] = append(all[n], s)
			continue
		}
		at[t] = len(all)
		all = append(all, []*atlas.System{s})
	}
	return all
}

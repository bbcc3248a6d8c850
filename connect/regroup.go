package connect

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// regroupings are the rewrites of a group: that of whom it lists besides those who are moved; that of
// these, which some servers see to themselves; and that of those who are moved and new in it. stood is
// where those who are moved stood, by where they will stand.
func regroupings(c Regrouped, write []directory.Write, stood map[string]string) (all []*Rewrite) {
	moved := func(ref name.Ref) (was string, fresh bool) {
		was = stood[key(ref.Name)]
		return was, was != "" && !slices.ContainsFunc(c.Removed, func(r string) bool { return key(r) == key(was) })
	}
	listing := func(list []name.Ref) *directory.Group {
		g := *c.After
		g.Members = &directory.Members{Users: c.After.Members.Users, Any: list}
		return &g
	}
	var first, then []name.Ref
	for _, ref := range c.After.Members.Any {
		was, fresh := moved(ref)
		if fresh {
			continue
		}
		then = append(then, ref)
		if was != "" {
			ref.Name = was
		}
		first = append(first, ref)
	}
	steps := []*directory.Group{c.Before, listing(first), listing(then), c.After}
	for i, after := range steps[1:] {
		before := steps[i]
		r := regrouped(Changed[directory.Group]{before, after, groupFields(before, after)})
		r.Fields, _ = parted(r.Fields, write, groupWrite)
		if !slices.Contains(write, directory.WriteMembers) {
			r.Added, r.Removed = nil, nil
		}
		if len(r.Fields) > 0 {
			all = append(all, &Rewrite{Group: &r, early: i == 0, follows: i > 0})
		}
	}
	return all
}

package connect

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// met are records that were made where they come from, and now come in for the first time: where they
// stand is known by now, and groups that list them by name list them by that.
type met struct {
	at     map[string]string         // distinguished names, by folded name
	copies map[*directory.Group]bool // groups that list them so
}

// meeting finds the records that come in for the first time since they were made.
func meeting(before, now Records) met {
	m := met{map[string]string{}, map[*directory.Group]bool{}}
	people, teams := meet(users, before.Users, now.Users), meet(groups, before.Groups, now.Groups)
	for named, dn := range people {
		if teams[named] == "" { // else it is not clear who is meant
			m.at[named] = dn
		}
	}
	for named, dn := range teams {
		if people[named] == "" {
			m.at[named] = dn
		}
	}
	return m
}

// meet are the distinguished names of those of one kind that are met, by folded name.
func meet[T any](o of[T], before, now []*T) map[string]string {
	before, now = unlike(before, now)
	made := map[string]bool{}
	for _, was := range before {
		if o.id(was) == "" && o.dn(was) == "" {
			made[name.Fold(o.named(was))] = true
		}
	}
	at := map[string]string{}
	if len(made) == 0 {
		return at
	}
	for _, x := range now {
		if named := name.Fold(o.named(x)); o.id(x) != "" && o.dn(x) != "" && made[named] {
			at[named] = o.dn(x)
		}
	}
	return at
}

// groups are the groups, with copies in the place of those that list by name whoever is met.
func (m met) groups(list []*directory.Group) []*directory.Group {
	if len(m.at) == 0 {
		return list
	}
	list = slices.Clone(list)
	for i, g := range list {
		if g.Members == nil || !slices.ContainsFunc(g.Members.Any, func(ref name.Ref) bool { return m.of(ref) != "" }) {
			continue
		}
		now, members := *g, *g.Members
		members.Any = slices.Clone(members.Any)
		for j, ref := range members.Any {
			if dn := m.of(ref); dn != "" {
				members.Any[j].Name = dn
			}
		}
		now.Members = &members
		list[i], m.copies[&now] = &now, true
	}
	return list
}

// of is where one stands who is referred to by name and is met; "" for others.
func (m met) of(ref name.Ref) string {
	if strings.ContainsAny(ref.Name, "=/") {
		return "" // by distinguished name, or of another directory
	}
	return m.at[name.Fold(ref.Name)]
}

// kept are the copies of which nothing else differs.
func (m met) kept(settled []*directory.Group) (list []*directory.Group) {
	for _, g := range settled {
		if m.copies[g] {
			list = append(list, g)
		}
	}
	return list
}

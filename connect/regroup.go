package connect

import (
	"cmp"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// arriving are users who are moved or new, by which groups refer to them.
type arriving struct {
	stood map[string]string // where those who are moved stood, by where they will stand
	fresh map[string]bool   // references to those who are new
}

func noneArriving() arriving { return arriving{map[string]string{}, map[string]bool{}} }

// comes notes that a user or a group is new.
func (r arriving) comes(named, dn string) {
	r.fresh[key(cmp.Or(dn, named))] = true
}

// isFresh says that a reference is to one who is not there yet.
func (r arriving) isFresh(ref string) bool { return r.fresh[key(ref)] }

// regroupings are the rewrites of a group: that of whom it lists besides those who are moved or new;
// that of these, which some servers see to themselves; and that of those who are moved and new in it.
func regroupings(c Regrouped, write []directory.Write, to arriving) (all []*Rewrite) {
	if len(to.stood)+len(to.fresh) == 0 || c.After.Members == nil {
		return writtenOf(c, write)
	}
	listing := func(list []name.Ref) *directory.Group {
		g, members := *c.After, *c.After.Members
		members.Any, g.Members = list, &members
		return &g
	}
	gone := make(map[string]bool, len(c.Removed))
	for _, ref := range c.Removed {
		gone[key(ref)] = true
	}
	var first, then []name.Ref
	for _, ref := range c.After.Members.Any {
		was, moves := to.stood[key(ref.Name)]
		if moves && !gone[key(was)] || to.isFresh(ref.Name) {
			continue // it is new in the group
		}
		then = append(then, ref)
		if moves {
			ref.Name = was
		}
		first = append(first, ref)
	}
	steps := []*directory.Group{c.Before, listing(first), listing(then), c.After}
	for i, after := range steps[1:] {
		before := steps[i]
		part := writtenOf(regrouped(Changed[directory.Group]{before, after, groupFields(before, after)}), write)
		for _, r := range part {
			r.early, r.follows = i == 0, i > 0
		}
		all = append(all, part...)
	}
	return all
}

// writtenOf is the rewrite of what of a changed group is written; empty where nothing is.
func writtenOf(c Regrouped, write []directory.Write) []*Rewrite {
	if c.Fields, _ = parted(c.Fields, write, groupWrite); len(c.Fields) == 0 {
		return nil
	}
	if !slices.Contains(write, directory.WriteMembers) {
		c.Added, c.Removed = nil, nil
	}
	return []*Rewrite{{Group: &c}}
}

// whole are rewrites with those of one record, which come one after the other, as one.
func whole(all []*Rewrite) (list []*Rewrite) {
	of := make(map[Named]*Rewrite, len(all))
	for _, x := range all {
		n := x.Named()
		before := of[n]
		switch {
		case before == nil:
			one := *x
			of[n] = &one
			list = append(list, &one)
		case x.User != nil:
			before.User = &Changed[directory.User]{Before: before.User.Before, After: x.User.After}
		default:
			before.Group = &Regrouped{
				Changed: Changed[directory.Group]{Before: before.Group.Before, After: x.Group.After},
			}
		}
	}
	return list
}

// entered are the fields that a new group is made with.
var entered = []string{"name", "dn", "description", "members"}

// bare is a group without members.
func bare(g *directory.Group) *directory.Group {
	empty := *g
	empty.Members = &directory.Members{}
	return &empty
}

func membersOf(before, after *directory.Group) *Rewrite {
	r := regrouped(Changed[directory.Group]{before, after, groupFields(before, after)})
	return &Rewrite{Group: &r}
}

// madeGroup are the rewrites of a group that is made: without members, who may be new as well, and then
// with them.
func madeGroup(g *directory.Group) []*Rewrite {
	empty := bare(g)
	all := []*Rewrite{{Group: &Regrouped{Changed: Changed[directory.Group]{After: empty}}}}
	if len(members(g)) > 0 {
		fill := membersOf(empty, g)
		fill.follows = true
		all = append(all, fill)
	}
	return all
}

// goneGroup are the rewrites of a group that is removed: its members go first, and it goes last.
func goneGroup(g *directory.Group) (all []*Rewrite) {
	empty := bare(g)
	emptied := len(members(g)) > 0
	if emptied {
		all = append(all, membersOf(g, empty))
	}
	return append(all, &Rewrite{Group: &Regrouped{Changed: Changed[directory.Group]{Before: empty}}, follows: emptied})
}

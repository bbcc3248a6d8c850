package directory

import (
	"slices"

	"gatemap/core/finding"
)

// reachesLike says whether two records of a group are of one kind and reach.
func (g *Group) reachesLike(other *Group) bool {
	return g.Kind == other.Kind && g.MembersFrom == other.MembersFrom && g.UsableIn == other.UsableIn &&
		g.Host == other.Host
}

// Reshaped lists the groups that are of another kind or reach than in the book from
// which this one was edited: they may count where they did not, and the other way
// round.
func (b *Book) Reshaped() []GroupID { return b.reshaped }

// listing lists the groups that list a group, those too whose reach forbids them to
// hold it.
func (b *Book) listing(g GroupID) []GroupID {
	list := slices.Clone(b.Holders(g))
	for outer, found := range b.found {
		for _, f := range found {
			if (f.Code == finding.Nesting || f.Code == finding.MailNested) && f.Names[1] == b.GroupName(g) {
				list = append(list, outer)
			}
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// isPrimary says whether some record may name a group as its primary one.
func (b *Book) isPrimary(g GroupID) bool {
	for written := range b.primaries {
		for _, d := range b.directories {
			if p, err := b.LookGroup(written, d.Name); err == nil && p == g {
				return true
			}
		}
	}
	return false
}

// with is the nesting in which some groups hold others than before, and some have come;
// moved lists the groups of whose members the effective groups may be others. ok is
// false where groups that hold each other in a circle have a part in it.
func (n *nesting) with(held map[GroupID][]GroupID, came []GroupID) (next *nesting, moved []GroupID, ok bool) {
	children, parents := map[uint32][]GroupID{}, map[uint32][]GroupID{}
	above := func(inner GroupID) []GroupID {
		if list, known := parents[uint32(inner)]; known {
			return list
		}
		return slices.Clone(n.parents.at(uint32(inner)))
	}
	for outer, now := range held {
		was := n.children.at(uint32(outer))
		children[uint32(outer)] = now
		for _, inner := range was {
			if !slices.Contains(now, inner) {
				parents[uint32(inner)] = slices.DeleteFunc(above(inner), func(p GroupID) bool { return p == outer })
				moved = append(moved, inner)
			}
		}
		for _, inner := range now {
			if !slices.Contains(was, inner) {
				list := above(inner)
				at, _ := slices.BinarySearch(list, outer)
				parents[uint32(inner)] = slices.Insert(list, at, outer)
				moved = append(moved, inner)
			}
		}
	}
	moved = append(moved, came...)
	next = &nesting{parents: n.parents.with(parents), children: n.children.with(children), components: n.components}
	seen := map[GroupID]bool{}
	for i := 0; i < len(moved); i++ {
		if g := moved[i]; !seen[g] {
			seen[g] = true
			moved = append(append(moved, n.children.at(uint32(g))...), next.children.at(uint32(g))...)
		}
	}
	slices.Sort(moved)
	moved = slices.Compact(moved)
	for _, ring := range n.components {
		if slices.ContainsFunc(ring, func(g GroupID) bool { return seen[g] }) {
			return nil, nil, false
		}
	}
	over := map[uint32][]GroupID{}
	for _, g := range moved {
		if over[uint32(g)], ok = next.climb(g); !ok {
			return nil, nil, false
		}
	}
	next.above, next.held = n.above.with(over), slices.Clone(n.held)
	for _, g := range moved {
		for int(g/64) >= len(next.held) {
			next.held = append(next.held, 0)
		}
		next.hold(g)
	}
	return next, moved, true
}

// climb lists a group and all above it, in order; ok is false if it is above
// itself.
func (n *nesting) climb(g GroupID) (over []GroupID, ok bool) {
	over = []GroupID{g}
	seen := map[GroupID]bool{g: true}
	for i := 0; i < len(over); i++ {
		for _, p := range n.parents.at(uint32(over[i])) {
			if p == g {
				return nil, false
			}
			if !seen[p] {
				seen[p] = true
				over = append(over, p)
			}
		}
	}
	slices.Sort(over)
	return over, true
}

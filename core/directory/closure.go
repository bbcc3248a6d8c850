package directory

import (
	"slices"
	"sync"
)

// nesting is how groups hold each other, computed once: the groups above each
// group at whatever level, itself included.
type nesting struct {
	parents    lists[GroupID] // by group: those that hold it
	children   lists[GroupID]
	above      lists[GroupID] // by group
	held       []uint64       // a bit for each group: whether others are above it
	components [][]GroupID    // those of more than one group, and groups that hold themselves
	unions     sync.Pool      // of *union
}

// newNesting computes the nesting from the groups that hold each group.
func newNesting(parents [][]GroupID) *nesting {
	children := make([][]GroupID, len(parents))
	for inner, outers := range parents {
		slices.Sort(outers)
		parents[inner] = slices.Compact(outers)
		for _, outer := range parents[inner] {
			children[outer] = append(children[outer], GroupID(inner))
		}
	}
	n := &nesting{parents: gather(parents), children: gather(children)}
	// A component is a set of groups that hold each other. It is complete after all
	// components above it, and its groups have the same above them.
	component := make([]uint32, len(parents)) // by group
	var above [][]GroupID                     // by component
	n.walk(func(groups []GroupID) {
		all := slices.Clone(groups)
		for _, g := range groups {
			component[g] = uint32(len(above))
		}
		for _, g := range groups {
			for _, outer := range n.parents.at(uint32(g)) {
				if r := component[outer]; r != uint32(len(above)) {
					all = append(all, above[r]...)
				}
			}
		}
		slices.Sort(all)
		above = append(above, slices.Compact(all))
		if len(groups) > 1 || n.holdsItself(groups[0]) {
			slices.Sort(groups)
			n.components = append(n.components, groups)
		}
	})
	over := make([][]GroupID, len(parents))
	for g, r := range component {
		over[g] = above[r]
	}
	n.above, n.held = gather(over), make([]uint64, len(over)/64+1)
	for g := range over {
		n.hold(GroupID(g))
	}
	return n
}

// hold notes whether others are above a group.
func (n *nesting) hold(g GroupID) {
	n.held[g/64] &^= 1 << (g % 64)
	if len(n.over(g)) > 1 {
		n.held[g/64] |= 1 << (g % 64)
	}
}

// over lists a group and all groups that its members flow into, in order.
func (n *nesting) over(g GroupID) []GroupID {
	return n.above.at(uint32(g))
}

func (n *nesting) holdsItself(g GroupID) bool {
	return slices.Contains(n.parents.at(uint32(g)), g)
}

// walk visits the strongly connected sets of groups, each after those above it
// (Tarjan, with a stack of its own, as nesting may be deep).
func (n *nesting) walk(visit func(component []GroupID)) {
	count := len(n.parents.start) - 1
	index, low := make([]uint32, count), make([]uint32, count)
	onStack := make([]bool, count)
	var stack []GroupID
	next := uint32(1)
	type frame struct {
		group GroupID
		child int
	}
	var calls []frame
	for root := range count {
		if index[root] != 0 {
			continue
		}
		calls = append(calls[:0], frame{group: GroupID(root)})
		for len(calls) > 0 {
			f := &calls[len(calls)-1]
			g := f.group
			if f.child == 0 {
				index[g], low[g] = next, next
				next++
				stack, onStack[g] = append(stack, g), true
			}
			if parents := n.parents.at(uint32(g)); f.child < len(parents) {
				p := parents[f.child]
				f.child++
				if index[p] == 0 {
					calls = append(calls, frame{group: p})
				} else if onStack[p] {
					low[g] = min(low[g], index[p])
				}
				continue
			}
			calls = calls[:len(calls)-1]
			if len(calls) > 0 {
				up := calls[len(calls)-1].group
				low[up] = min(low[up], low[g])
			}
			if low[g] != index[g] {
				continue
			}
			from := len(stack) - 1
			for stack[from] != g {
				from--
			}
			for _, x := range stack[from:] {
				onStack[x] = false
			}
			visit(slices.Clone(stack[from:]))
			stack = stack[:from]
		}
	}
}

package directory

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/finding"
)

// findCycles reports every set of groups that hold each other.
func (b *Book) findCycles() {
	for _, ring := range b.rings() {
		names := make([]string, len(ring))
		for i, g := range ring {
			names[i] = b.GroupName(g)
		}
		b.find(finding.Cycle, b.Group(ring[0]).Place, names,
			fmt.Sprintf("Groups hold each other in a circle, so all have the same members: %s.", strings.Join(names, ", ")),
			"Take one of them out of another.")
	}
}

// rings finds the strongly connected sets of more than one group, and groups
// that hold themselves (Tarjan, with a stack of its own, as nesting may be
// deep).
func (b *Book) rings() [][]GroupID {
	n := b.Groups()
	index, low := make([]int, n), make([]int, n)
	onStack := make([]bool, n)
	var stack []GroupID
	var rings [][]GroupID
	next := 1
	type frame struct {
		group GroupID
		child int
	}
	for root := range n {
		if index[root] != 0 {
			continue
		}
		calls := []frame{{group: GroupID(root)}}
		for len(calls) > 0 {
			f := &calls[len(calls)-1]
			g := f.group
			if f.child == 0 {
				index[g], low[g] = next, next
				next++
				stack, onStack[g] = append(stack, g), true
			}
			if f.child < len(b.parents[g]) {
				p := b.parents[g][f.child]
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
			var ring []GroupID
			for {
				top := stack[len(stack)-1]
				stack, onStack[top] = stack[:len(stack)-1], false
				ring = append(ring, top)
				if top == g {
					break
				}
			}
			if len(ring) > 1 || slices.Contains(b.parents[g], g) {
				slices.Sort(ring)
				rings = append(rings, ring)
			}
		}
	}
	return rings
}

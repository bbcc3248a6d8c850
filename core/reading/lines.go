package reading

import (
	"slices"
	"strings"

	"gatemap/core/rule"
)

// Line is a line of the map that is not there as it is written, or what someone is given there
// and by no line of the map.
type Line struct {
	Name string // of the map, as SYSTEM/NAME; or a group or account, by its name there
	Real bool   // it is given there
	// Of what it gives, to each that it names, so many are on the other side too.
	Same, All int
	// Lacking is the first of what is not.
	Lacking []Grant
	// Condition says that the other side gives it in other situations.
	Condition bool
}

// Grant is a right that someone is given, or denied.
type Grant struct {
	Whom          string // a group or account by its name there, or as the map has it; everyone
	Object, Right string
	Denied        bool
}

// someGrants is how many grants a line names that the other side does not have.
const someGrants = 5

// compared compares the lines of both sides by what they give to whom.
func (l *ledger) compared(aside map[string]bool) []Line {
	list := l.lost(l.here, l.there, l.written[0], func(g grant) string { return l.lines[g.line].Name })
	for _, x := range l.lost(l.there, l.here, l.written[1], func(g grant) string {
		if named := l.whom[g.whom]; !g.takes && !aside[named] {
			return named
		}
		return "" // what is taken there shows by person
	}) {
		x.Real = true
		list = append(list, x)
	}
	return list
}

// lost is what one side gives as its lines write it and the other does not, put together by what it
// is of.
func (l *ledger) lost(of, other [][]grant, written map[point]rule.LineSet, by func(grant) string) (list []Line) {
	lines := map[string]*Line{}
	for i, at := range l.points {
		there := other[i]
		for _, g := range of[i] {
			named := by(g)
			if lines := written[at]; named == "" || written != nil && !lines.Includes(g.line) {
				continue
			}
			line := lines[named]
			if line == nil {
				line = &Line{Name: named}
				lines[named] = line
			}
			line.All++
			i, is := slices.BinarySearchFunc(there, g, compareGrants)
			if !is {
				if len(line.Lacking) < someGrants {
					line.Lacking = append(line.Lacking, Grant{l.whom[g.whom], at.object, at.right, g.takes})
				}
				continue
			}
			line.Same++
			same := false
			for ; i < len(there) && compareGrants(there[i], g) == 0; i++ {
				same = same || there[i].when == g.when
			}
			line.Condition = line.Condition || !same
		}
	}
	for _, line := range lines {
		if line.Same < line.All || line.Condition {
			list = append(list, *line)
		}
	}
	slices.SortFunc(list, func(a, b Line) int { return strings.Compare(a.Name, b.Name) })
	return list
}

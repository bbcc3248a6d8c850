package reading

import (
	"slices"
	"strings"

	"gatemap/core/parallel"
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
	names, line := numbered{}, make([]uint32, len(l.lines)) // a line may be several rules
	for i, r := range l.lines {
		line[i] = names.of(r.Name)
	}
	var here, there []Line
	parallel.Do(
		func() {
			here = l.lost(l.here, l.there, l.written[0], names.all(), func(g grant) (number uint32, told bool) {
				return line[g.line], true
			})
		},
		func() {
			there = l.lost(l.there, l.here, l.written[1], l.whom, func(g grant) (number uint32, told bool) {
				return g.whom, !g.takes && !aside[l.whom[g.whom]] // what is taken there shows by person
			})
		},
	)
	for i := range there {
		there[i].Real = true
	}
	return append(here, there...)
}

// lost is what one side gives as its lines write it and the other does not, put together by what it is
// of: names has the name of each number.
func (l *ledger) lost(
	of, other [][]grant, written map[Point]rule.LineSet, names []string, by func(grant) (number uint32, told bool),
) (list []Line) {
	lines := make([]*Line, len(names))
	for i, at := range l.points {
		there := other[i]
		writing := written[at]
		for _, g := range of[i] {
			for len(there) > 0 && compareGrants(there[0], g) < 0 {
				there = there[1:]
			}
			number, told := by(g)
			if !told || written != nil && !writing.Includes(g.line) {
				continue
			}
			line := lines[number]
			if line == nil {
				line = &Line{Name: names[number]}
				lines[number] = line
			}
			line.All++
			if len(there) == 0 || compareGrants(there[0], g) != 0 {
				if len(line.Lacking) < someGrants {
					line.Lacking = append(line.Lacking, Grant{l.whom[g.whom], at.Object, at.Right, g.takes})
				}
				continue
			}
			line.Same++
			same := false
			for j := 0; j < len(there) && compareGrants(there[j], g) == 0; j++ {
				same = same || there[j].when == g.when
			}
			line.Condition = line.Condition || !same
		}
	}
	for _, line := range lines {
		if line != nil && (line.Same < line.All || line.Condition) {
			list = append(list, *line)
		}
	}
	slices.SortFunc(list, func(a, b Line) int { return strings.Compare(a.Name, b.Name) })
	return list
}

package firewall

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/rule"
	"gatemap/core/situation"
)

// together joins the answers of all parts: all permitted is open, none is none
// or shut, and some depends on keeping to the permitted part. A part of which what it depends
// on cannot be is left out like one that is shut, where another is permitted.
func (p *point) together(grid []rule.Match) rule.Verdict {
	all, closed := rule.Opened, rule.Verdict{}
	permitted, possible := 0, 0
	for _, m := range grid {
		switch {
		case m.Verdict.State >= rule.Depends:
			permitted++
			if !p.leftOut(m) {
				possible++
			}
			all = all.And(m.Verdict)
		case closed.State == rule.None:
			closed = m.Verdict
		case m.Verdict.State == rule.Shut:
			closed = closed.And(m.Verdict)
		}
	}
	switch {
	case permitted == 0:
		return closed
	case permitted == len(grid) && (possible == 0 || p.whole || len(grid) == 1 || !all.Never()):
		return all
	case possible == 0:
		return rule.DependsOn(situation.Ways{})
	}
	return p.part(grid)
}

// leftOut says of a part that it is not permitted, whatever the facts are.
func (p *point) leftOut(m rule.Match) bool {
	return refused(m) || len(p.parts) > 1 && m.Verdict.Never()
}

// part describes the largest permitted part that is a set of destinations by a
// set of services, as needs.
func (p *point) part(grid []rule.Match) rule.Verdict {
	best := p.widest(grid)
	var rows []int
	for i := range p.rows {
		if contains(p.permitted(grid, i), best) {
			rows = append(rows, i)
		}
	}
	verdict := p.all(grid, rule.Opened, rows, best)
	if verdict.Never() {
		rows, best, verdict = p.agreeing(grid, rows, best)
	}
	var to []span
	for _, i := range rows {
		to = append(to, p.rows[i].parts...)
	}
	var services, all []Service
	for c := range p.columns {
		all = append(all, p.columns[c].parts...)
		if slices.Contains(best, c) {
			services = append(services, p.columns[c].parts...)
		}
	}
	sortServices(services)
	if len(rows) < len(p.rows) {
		verdict = verdict.And(rule.DependsOn(situation.All(situation.Other(situation.NewNeed("to", prefixes(to)...)))))
	}
	if len(best) < len(p.columns) {
		verdict = verdict.And(rule.DependsOn(situation.All(situation.Other(situation.NewNeed("port",
			ports(all, services)...)))))
	}
	return verdict
}

// all joins a verdict with those of the parts in some rows and columns.
func (p *point) all(grid []rule.Match, v rule.Verdict, rows, columns []int) rule.Verdict {
	for _, i := range rows {
		for _, c := range columns {
			v = v.And(grid[i*len(p.columns)+c].Verdict)
		}
	}
	return v
}

// agreeing are the rows and columns that can be permitted together, of some of which each part
// can be: the heaviest row, as many columns of it as agree, and the rows that agree with these.
func (p *point) agreeing(grid []rule.Match, rows, columns []int) (kept, best []int, v rule.Verdict) {
	heaviest := slices.SortedStableFunc(slices.Values(rows), func(i, j int) int {
		return cmp.Compare(weight(p.rows[j].parts), weight(p.rows[i].parts))
	})
	v = rule.Opened
	for _, c := range columns {
		if w := p.all(grid, v, heaviest[:1], []int{c}); !w.Never() {
			best, v = append(best, c), w
		}
	}
	kept = heaviest[:1:1]
	for _, i := range heaviest[1:] {
		if w := p.all(grid, v, []int{i}, best); !w.Never() {
			kept, v = append(kept, i), w
		}
	}
	slices.Sort(kept)
	return kept, best, v
}

// widest picks the set of columns that is permitted for the most addresses,
// counted once for each service in it.
func (p *point) widest(grid []rule.Match) []int {
	var best []int
	most := -1.0
	for i := range p.rows {
		columns := p.permitted(grid, i)
		if len(columns) == 0 {
			continue
		}
		size := 0.0
		for j := range p.rows {
			if contains(p.permitted(grid, j), columns) {
				size += weight(p.rows[j].parts)
			}
		}
		numbers := 0
		for _, c := range columns {
			for _, s := range p.columns[c].parts {
				numbers += s.High - s.Low + 1
			}
		}
		if size *= float64(numbers); size > most {
			best, most = columns, size
		}
	}
	return best
}

func sortServices(list []Service) {
	slices.SortFunc(list, func(a, b Service) int {
		return cmp.Or(strings.Compare(a.Proto, b.Proto), cmp.Compare(a.Low, b.Low))
	})
}

// permitted are the columns of a row that are permitted, or may be.
func (p *point) permitted(grid []rule.Match, row int) []int {
	var columns []int
	for i := range p.columns {
		if !p.leftOut(grid[row*len(p.columns)+i]) {
			columns = append(columns, i)
		}
	}
	return columns
}

func contains(list, part []int) bool {
	return !slices.ContainsFunc(part, func(x int) bool { return !slices.Contains(list, x) })
}

// weight is roughly the number of addresses; any IPv6 prefix outweighs what is
// smaller, which is all that it is for.
func weight(spans []span) float64 {
	n := 0.0
	for _, s := range spans {
		for _, p := range s.Prefixes() {
			size := 1.0
			for range p.Addr().BitLen() - p.Bits() {
				size *= 2
			}
			n += size
		}
	}
	return n
}

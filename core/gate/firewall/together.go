package firewall

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/rule"
	"gatemap/core/situation"
)

// together joins the answers of all parts: all permitted is open, none is none
// or shut, and some depends on keeping to the permitted part.
func (p *point) together(grid []rule.Match) rule.Verdict {
	all, closed := rule.Opened, rule.Verdict{}
	permitted := 0
	for _, m := range grid {
		switch {
		case m.Verdict.State >= rule.Depends:
			permitted++
			all = all.And(m.Verdict)
		case closed.State == rule.None:
			closed = m.Verdict
		case m.Verdict.State == rule.Shut:
			closed = closed.And(m.Verdict)
		}
	}
	switch permitted {
	case len(grid):
		return all
	case 0:
		return closed
	}
	return p.part(grid)
}

// part describes the largest permitted part that is a set of destinations by a
// set of services, as needs.
func (p *point) part(grid []rule.Match) rule.Verdict {
	best := p.widest(grid)
	verdict := rule.Opened
	var to []span
	rows := 0
	for i := range p.rows {
		if !contains(p.permitted(grid, i), best) {
			continue
		}
		rows++
		to = append(to, p.rows[i].parts...)
		for _, c := range best {
			verdict = verdict.And(grid[i*len(p.columns)+c].Verdict)
		}
	}
	var services, all []Service
	for c := range p.columns {
		all = append(all, p.columns[c].parts...)
		if slices.Contains(best, c) {
			services = append(services, p.columns[c].parts...)
		}
	}
	sortServices(services)
	if rows < len(p.rows) {
		verdict = verdict.And(rule.DependsOn(situation.All(situation.Other(situation.Need("to:" + prefixes(to))))))
	}
	if len(best) < len(p.columns) {
		verdict = verdict.And(rule.DependsOn(situation.All(situation.Other(situation.Need("port:" + ports(all, services))))))
	}
	return verdict
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
		if !refused(grid[row*len(p.columns)+i]) {
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

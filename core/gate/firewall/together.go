package firewall

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/situation"
)

// together joins the answers of all parts: all permitted is open, none is none
// or shut, and some depends on keeping to the permitted part.
func (p *point) together(grid [][]field) gate.Verdict {
	all := gate.Opened
	closed := gate.Verdict{}
	permitted, refused := 0, 0
	for _, row := range grid {
		for _, f := range row {
			switch f.verdict.State {
			case gate.None:
				refused++
			case gate.Shut:
				refused++
				if closed.State == gate.None {
					closed = f.verdict
				} else {
					closed = closed.And(f.verdict)
				}
			default:
				permitted++
				all = all.And(f.verdict)
			}
		}
	}
	switch {
	case refused == 0:
		return all
	case permitted == 0:
		return closed
	}
	return p.part(grid)
}

// part describes the largest permitted part that is a set of destinations by a
// set of services, as needs.
func (p *point) part(grid [][]field) gate.Verdict {
	best := p.widest(grid)
	verdict := gate.Opened
	var to []span
	rows := 0
	for i := range grid {
		if !contains(permittedIn(grid[i]), best) {
			continue
		}
		rows++
		to = append(to, p.rows[i].to...)
		for _, c := range best {
			verdict = verdict.And(grid[i][c].verdict)
		}
	}
	var services, all []Service
	for c := range p.columns {
		all = append(all, p.columns[c].services...)
		if slices.Contains(best, c) {
			services = append(services, p.columns[c].services...)
		}
	}
	sortServices(services)
	if rows < len(grid) {
		verdict = verdict.And(gate.DependsOn(situation.All(situation.Other(situation.Need("to:" + prefixes(to))))))
	}
	if len(best) < len(p.columns) {
		verdict = verdict.And(gate.DependsOn(situation.All(situation.Other(situation.Need("port:" + ports(all, services))))))
	}
	return verdict
}

// widest picks the set of columns that is permitted for the most addresses,
// counted once for each service in it.
func (p *point) widest(grid [][]field) []int {
	var best []int
	most := -1.0
	for i := range grid {
		columns := permittedIn(grid[i])
		if len(columns) == 0 {
			continue
		}
		size := 0.0
		for j := range grid {
			if contains(permittedIn(grid[j]), columns) {
				size += weight(p.rows[j].to)
			}
		}
		numbers := 0
		for _, c := range columns {
			for _, s := range p.columns[c].services {
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

func permittedIn(row []field) []int {
	var columns []int
	for i, f := range row {
		if f.verdict.State >= gate.Depends {
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

package firewall

import (
	"net/netip"
	"slices"

	"go4.org/netipx"

	"gatemap/core/gate"
)

func spanFrom(a, b netip.Addr) span { return netipx.IPRangeFrom(a, b) }

// point is a destination and a service, each of one part or of several. It is
// cut once, where any of the rules that touch it begins or ends.
type point struct {
	wall    *wall
	object  string
	right   string
	rules   []*rule // those that touch it
	rows    []row
	columns []column
	meets   [][]uint32 // by row and column: the rules that are about that part
}

// row is a part of the destination that the same rules are about, and column
// a part of the service.
type row struct {
	to []span
	in []bool // by rule
}

type column struct {
	services []Service
	in       []bool // by rule
}

func newPoint(w *wall, object, right string, to []span, services []Service) *point {
	p := &point{wall: w, object: object, right: right}
	var destinations [][]span
	var others []Service
	for i := range w.rules {
		if r := &w.rules[i]; shares(services, r.services) && overlap(to, r.to) {
			p.rules = append(p.rules, r)
			destinations, others = append(destinations, r.to), append(others, r.services...)
		}
	}
	inTo := func(r *rule, s span) bool { return inSpans(r.to, s.From()) }
	for _, g := range grouped(cut(to, destinations), p.rules, inTo) {
		p.rows = append(p.rows, row{g.parts, g.in})
	}
	for _, g := range grouped(atoms(services, others), p.rules, (*rule).serves) {
		p.columns = append(p.columns, column{g.parts, g.in})
	}
	for i := range p.rows {
		for j := range p.columns {
			var meets []uint32
			for k := range p.rules {
				if p.rows[i].in[k] && p.columns[j].in[k] {
					meets = append(meets, uint32(k))
				}
			}
			p.meets = append(p.meets, meets)
		}
	}
	return p
}

func (p *point) Object() string { return p.object }

func (p *point) Lines() gate.Held {
	var lines gate.Held
	for _, r := range p.rules {
		lines.Add(r.crowd)
	}
	return lines
}

func (r *rule) serves(a Service) bool {
	return slices.ContainsFunc(r.services, func(s Service) bool { return s.holds(a.Proto, a.Low) })
}

// group is some parts that the same rules are about.
type group[T any] struct {
	parts []T
	in    []bool
}

// grouped puts parts together that are in the same rules.
func grouped[T any](parts []T, rules []*rule, in func(*rule, T) bool) []group[T] {
	var groups []group[T]
	for _, part := range parts {
		key := make([]bool, len(rules))
		for i, r := range rules {
			key[i] = in(r, part)
		}
		i := slices.IndexFunc(groups, func(g group[T]) bool { return slices.Equal(g.in, key) })
		if i < 0 {
			i = len(groups)
			groups = append(groups, group[T]{in: key})
		}
		groups[i].parts = append(groups[i].parts, part)
	}
	return groups
}

// field is a part of the question in which every packet meets the same rules.
type field struct {
	verdict gate.Verdict
	winner  int   // the first permitting rule that may decide; -1: none
	further []int // the others
	lastly  bool  // the default permits, and may decide
}

// Decide asks each part of the question, and puts the answers together
// (docs/model.md section 5.3).
func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: p.wall.system, Object: p.object, Right: p.right}
	if q.Brief {
		e.State = p.brief(q)
		return e
	}
	grid := make([][]field, len(p.rows))
	for i := range p.rows {
		grid[i] = make([]field, len(p.columns))
		for j := range p.columns {
			grid[i][j] = p.ask(q, i, j)
		}
	}
	e.Judge(p.together(grid))
	e.Routes = p.routes(q, grid, e.State)
	return e
}

// brief is Decide for the state alone.
func (p *point) brief(q *gate.Question) gate.State {
	refused, permitted, sure, shut := false, false, true, false
	for i := range p.rows {
		for j := range p.columns {
			switch p.ask(q, i, j).verdict.State {
			case gate.Open:
				permitted = true
			case gate.Depends:
				permitted, sure = true, false
			case gate.Shut:
				refused, shut = true, true
			default:
				refused = true
			}
		}
	}
	switch {
	case !refused && sure:
		return gate.Open
	case permitted:
		return gate.Depends
	case shut:
		return gate.Shut
	}
	return gate.None
}

// ask walks the rules that are about one part.
func (p *point) ask(q *gate.Question, row, column int) field {
	walk, held := gate.FirstMatch(q), q.Held(p.wall.roster)
	for _, i := range p.meets[row*len(p.columns)+column] {
		if r := p.rules[i]; held.Has(r.crowd.Number()) && !walk.Meet(&r.line, r.permit, r.conditions, int(i)) {
			break
		}
	}
	var f field
	f.verdict, f.winner = walk.End(p.wall.permit)
	f.further, f.lastly = walk.Further(p.wall.permit)
	return f
}

// routes are the ways by the rules that permit some part, or, where nothing is
// permitted, by those that would.
func (p *point) routes(q *gate.Question, grid [][]field, state gate.State) []gate.Route {
	if state == gate.None {
		return nil
	}
	wins := make([]bool, len(p.rules))
	byDefault := false
	for _, row := range grid {
		for _, f := range row {
			if f.winner >= 0 {
				wins[f.winner] = true
			}
			for _, i := range f.further {
				wins[i] = true
			}
			byDefault = byDefault || f.lastly
		}
	}
	var routes []gate.Route
	for i, r := range p.rules {
		if r.permit && r.crowd.Has(q) && (wins[i] || state == gate.Shut) {
			routes = append(routes, r.crowd.Routes(q, r.line.Name)...)
		}
	}
	if byDefault || p.wall.permit && state == gate.Shut {
		routes = append(routes, gate.Route{Mapping: p.wall.system + "/default", Path: []gate.Hop{}})
	}
	return routes
}

func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	for _, r := range p.rules {
		if !r.permit {
			continue
		}
		if lacks := r.crowd.Lacks(q); lacks != nil {
			misses = append(misses, gate.Miss{Mapping: r.line.Name, Lacks: lacks})
		}
	}
	return misses
}

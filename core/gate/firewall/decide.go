package firewall

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"go4.org/netipx"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

func spanFrom(a, b netip.Addr) span { return netipx.IPRangeFrom(a, b) }

// point is a destination and a service, each of one part or of several.
type point struct {
	wall     *wall
	object   string
	right    string
	to       []span
	services []Service
}

func (p *point) Object() string { return p.object }

// field is a part of the question in which every packet meets the same rules.
type field struct {
	to      []span
	service []Service
	verdict gate.Verdict
	winner  int // the permitting rule that decides; -1: none
}

// Decide cuts the question where the rules that name the subject begin and
// end, asks each part, and puts the answers together (docs/model.md section
// 5.3).
func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: p.wall.system, Object: p.object, Right: p.right}
	rules := p.meeting(q)
	rows, columns := p.rows(rules), p.columns(rules)
	grid := make([][]field, len(rows))
	for i, row := range rows {
		for _, column := range columns {
			grid[i] = append(grid[i], p.ask(q, rules, row, column))
		}
	}
	e.Judge(p.together(grid))
	e.Routes = p.routes(q, rules, grid, e.State)
	return e
}

// meeting are the rules that name the subject and touch the question.
func (p *point) meeting(q *gate.Question) []*rule {
	var rules []*rule
	for i := range p.wall.rules {
		if r := &p.wall.rules[i]; p.touches(r) && r.crowd.Has(q.Subject) {
			rules = append(rules, r)
		}
	}
	return rules
}

func (p *point) touches(r *rule) bool {
	return overlap(p.to, r.to) && slices.ContainsFunc(atoms(p.services, r.services), func(a Service) bool {
		return slices.ContainsFunc(r.services, func(s Service) bool { return s.holds(a.Proto, a.Low) })
	})
}

// rows groups the parts of the destination that the same rules are about.
func (p *point) rows(rules []*rule) [][]span {
	others := make([][]span, len(rules))
	for i, r := range rules {
		others[i] = r.to
	}
	return grouped(cut(p.to, others), rules, func(r *rule, s span) bool { return inSpans(r.to, s.From()) })
}

// columns groups the parts of the service that the same rules are about.
func (p *point) columns(rules []*rule) [][]Service {
	var others []Service
	for _, r := range rules {
		others = append(others, r.services...)
	}
	return grouped(atoms(p.services, others), rules, func(r *rule, a Service) bool { return r.serves(a) })
}

func (r *rule) serves(a Service) bool {
	return slices.ContainsFunc(r.services, func(s Service) bool { return s.holds(a.Proto, a.Low) })
}

// grouped puts parts together that are in the same rules.
func grouped[T any](parts []T, rules []*rule, in func(*rule, T) bool) [][]T {
	index := map[string]int{}
	var groups [][]T
	key := make([]byte, len(rules))
	for _, part := range parts {
		for i, r := range rules {
			key[i] = '0'
			if in(r, part) {
				key[i] = '1'
			}
		}
		i, ok := index[string(key)]
		if !ok {
			i = len(groups)
			index[string(key)] = i
			groups = append(groups, nil)
		}
		groups[i] = append(groups[i], part)
	}
	return groups
}

func (p *point) ask(q *gate.Question, rules []*rule, row []span, column []Service) field {
	f := field{to: row, service: column, winner: -1}
	var list []gate.Rule
	var index []int
	for i, r := range rules {
		if inSpans(r.to, row[0].From()) && r.serves(column[0]) {
			list = append(list, gate.Rule{Line: r.line, Permit: r.permit, When: []*situation.Condition{&r.source, &r.when}})
			index = append(index, i)
		}
	}
	verdict, winner := gate.FirstMatch(q, list, p.wall.permit)
	f.verdict = verdict
	if winner >= 0 {
		f.winner = index[winner]
	}
	return f
}

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
	var best []int // columns
	size := -1.0
	for i := range grid {
		columns := permittedIn(grid[i])
		if n := weight(grid[i][0].to) * float64(len(columns)); len(columns) > 0 && n > size {
			best, size = columns, n
		}
	}
	verdict := gate.Opened
	var to []span
	var services, allServices []Service
	rows := 0
	for i := range grid {
		if !contains(permittedIn(grid[i]), best) {
			continue
		}
		rows++
		to = append(to, grid[i][0].to...)
		for _, c := range best {
			verdict = verdict.And(grid[i][c].verdict)
		}
	}
	for c, f := range grid[0] {
		allServices = append(allServices, f.service...)
		if slices.Contains(best, c) {
			services = append(services, f.service...)
		}
	}
	sortServices(services)
	if rows < len(grid) {
		verdict = verdict.And(gate.DependsOn(situation.Need("to:" + prefixes(to))))
	}
	if len(best) < len(grid[0]) {
		verdict = verdict.And(gate.DependsOn(situation.Need("port:" + ports(allServices, services))))
	}
	return verdict
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

// routes are the ways by the rules that permit some part, or, where nothing is
// permitted, by those that would.
func (p *point) routes(q *gate.Question, rules []*rule, grid [][]field, state gate.State) []gate.Route {
	if state == gate.None {
		return nil
	}
	wins := make([]bool, len(rules))
	byDefault := false
	for _, row := range grid {
		for _, f := range row {
			if f.winner >= 0 {
				wins[f.winner] = true
			} else if f.verdict.State >= gate.Depends {
				byDefault = true
			}
		}
	}
	var routes []gate.Route
	for i, r := range rules {
		if r.permit && (wins[i] || state == gate.Shut) {
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
	for i := range p.wall.rules {
		r := &p.wall.rules[i]
		if !r.permit || !p.touches(r) {
			continue
		}
		if lacks := r.crowd.Lacks(q); lacks != nil {
			misses = append(misses, gate.Miss{Mapping: r.line.Name, Lacks: lacks})
		}
	}
	return misses
}

// Reach lists what the rules that permit something to the subject are about:
// their destinations and services, by the names that they use.
func (w *wall) Reach(q *gate.Question, add func(gate.Entitlement)) {
	type pair struct{ object, right string }
	var pairs []pair
	for i := range w.rules {
		r := &w.rules[i]
		if !r.permit || !r.crowd.Has(q.Subject) {
			continue
		}
		for _, to := range orAny(r.toNames) {
			for _, service := range orAny(r.svcNames) {
				pairs = append(pairs, pair{to, service})
			}
		}
	}
	if w.permit {
		pairs = append(pairs, pair{anyName, anyName})
	}
	slices.SortFunc(pairs, func(a, b pair) int {
		return cmp.Or(strings.Compare(a.object, b.object), strings.Compare(a.right, b.right))
	})
	for _, x := range slices.Compact(pairs) {
		p, err := w.At(x.object, x.right)
		if err != nil {
			continue
		}
		if e := p.Decide(q); e.State != gate.None {
			add(e)
		}
	}
}

func orAny(names []string) []string {
	if names == nil {
		return []string{anyName}
	}
	return names
}

// At finds a service at a destination.
func (w *wall) At(object, right string) (gate.Point, error) {
	services, ok := w.service(right)
	if !ok {
		return nil, &directory.NotFoundError{Kind: "service", Name: right, Near: name.Near(right, w.serviceNames), Within: w.system}
	}
	if object == "" {
		return nil, &gate.ObjectNeededError{System: w.system, Objects: w.names}
	}
	to, ok := w.destination(object)
	if !ok {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, slices.Values(w.names)), Within: w.system}
	}
	return &point{w, object, right, to, services}, nil
}

// Passage asks for the service at the destination that the keys name.
func (w *wall) Passage(_, _ string, keys gate.Passage) (gate.Point, error) {
	if keys["to"] == "" || keys["service"] == "" || len(keys) > 2 {
		return nil, errKeys
	}
	return w.At(keys["to"], keys["service"])
}

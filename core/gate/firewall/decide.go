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
		if r := &w.rules[i]; overlap(to, r.to) && shares(services, r.services) {
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
	winner  int // the permitting rule that decides; -1: none
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
	walk := gate.FirstMatch(q)
	for _, i := range p.meets[row*len(p.columns)+column] {
		if r := p.rules[i]; r.crowd.Has(q) && !walk.Meet(&r.line, r.permit, r.conditions, int(i)) {
			break
		}
	}
	verdict, winner := walk.End(p.wall.permit)
	return field{verdict, winner}
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
		verdict = verdict.And(gate.DependsOn(situation.Need("to:" + prefixes(to))))
	}
	if len(best) < len(p.columns) {
		verdict = verdict.And(gate.DependsOn(situation.Need("port:" + ports(all, services))))
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
			} else if f.verdict.State >= gate.Depends {
				byDefault = true
			}
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

// Giving are the lines without any of which there is nothing to list: with a
// permitting default there is none such, as it is for everyone.
func (w *wall) Giving() gate.Held {
	if w.permit {
		return nil
	}
	return w.giving
}

// Reach lists what the rules that permit something to the subject are about:
// their destinations and services, by the names that they use.
func (w *wall) Reach(q *gate.Question, add func(gate.Entitlement)) {
	if !w.permit && !q.Held(w.roster).Meets(w.giving) {
		return
	}
	asked := make([]bool, len(w.listed))
	for i := range w.rules {
		r := &w.rules[i]
		if r.permit && r.crowd.Has(q) {
			for _, p := range r.listed {
				asked[p] = true
			}
		}
	}
	for i, p := range w.listed {
		if !asked[i] && !(w.permit && p.object == anyName && p.right == anyName) {
			continue
		}
		if e := p.Decide(q); e.State != gate.None {
			add(e)
		}
	}
}

// list makes the points that listings ask, once: those that permitting rules
// are about, by object and right.
func (w *wall) list() {
	type pair struct{ object, right string }
	compare := func(a, b pair) int {
		return cmp.Or(strings.Compare(a.object, b.object), strings.Compare(a.right, b.right))
	}
	of := make([][]pair, len(w.rules))
	var pairs []pair
	for i := range w.rules {
		if r := &w.rules[i]; r.permit {
			for _, to := range orAny(r.toNames) {
				for _, service := range orAny(r.svcNames) {
					of[i] = append(of[i], pair{to, service})
				}
			}
			pairs = append(pairs, of[i]...)
		}
	}
	if w.permit {
		pairs = append(pairs, pair{anyName, anyName})
	}
	slices.SortFunc(pairs, compare)
	pairs = slices.Compact(pairs)
	for _, x := range pairs {
		to, _ := w.destination(x.object)
		services, _ := w.service(x.right)
		w.listed = append(w.listed, newPoint(w, x.object, x.right, to, services))
	}
	for i := range w.rules {
		for _, x := range of[i] {
			at, _ := slices.BinarySearchFunc(pairs, x, compare)
			w.rules[i].listed = append(w.rules[i].listed, at)
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
	return newPoint(w, object, right, to, services), nil
}

// Passage asks for the service at the destination that the keys name.
func (w *wall) Passage(_, _ string, keys gate.Passage) (gate.Point, error) {
	if keys["to"] == "" || keys["service"] == "" || len(keys) > 2 {
		return nil, errKeys
	}
	return w.At(keys["to"], keys["service"])
}

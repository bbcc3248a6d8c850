package firewall

import (
	"net/netip"
	"slices"

	"go4.org/netipx"

	"gatemap/core/directory"
	"gatemap/core/rule"
)

func spanFrom(a, b netip.Addr) span { return netipx.IPRangeFrom(a, b) }

// point is a destination and a service, each of one part or of several. It is
// cut once, where any of the rules that touch it begins or ends.
type point struct {
	wall    *compiled
	object  string
	right   string
	rules   []*entry // those that touch it
	rows    []group[span]
	columns []group[Service]
	parts   []*rule.Decision // by row and column
	whole   bool             // no part of it is enough
}

func newPoint(w *compiled, object, right string, to []span, services []Service) *point {
	p := &point{wall: w, object: object, right: right}
	var destinations [][]span
	var others []Service
	for _, r := range w.rules {
		if shares(services, r.services) && overlap(to, r.to) {
			p.rules = append(p.rules, r)
			destinations, others = append(destinations, r.to), append(others, r.services...)
		}
	}
	p.rows = grouped(cut(to, destinations), p.rules, func(r *entry, s span) bool { return inSpans(r.to, s.From()) })
	p.columns = grouped(atoms(services, others), p.rules, (*entry).serves)
	for _, row := range p.rows {
		for _, column := range p.columns {
			d := &rule.Decision{Index: w.index, Default: w.byDefault}
			for k, r := range p.rules {
				if row.in[k] && column.in[k] {
					d.Ordered.Add(r.Rule)
				}
			}
			p.parts = append(p.parts, d)
		}
	}
	return p
}

func (p *point) Object() string { return p.object }

// Lines are the rules that touch it.
func (p *point) Lines() (lines rule.LineSet) {
	for _, r := range p.rules {
		lines.Add(r.Rule)
	}
	return lines
}

// Depends is nothing beside the lines.
func (*point) Depends(*directory.Book) (d rule.Dependencies) { return d }

func (r *entry) serves(a Service) bool {
	return slices.ContainsFunc(r.services, func(s Service) bool { return s.holds(a.Proto, a.Low) })
}

// group is some parts that the same rules are about.
type group[T any] struct {
	parts []T
	in    []bool
}

// grouped puts parts together that are in the same rules.
func grouped[T any](parts []T, rules []*entry, in func(*entry, T) bool) []group[T] {
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

// Decide asks each part of the question, and puts the answers together
// (docs/model.md section 5.3).
func (p *point) Decide(q *rule.Question) rule.Entitlement {
	e := rule.Entitlement{System: p.wall.system, Object: p.object, Right: p.right}
	grid := make([]rule.Match, len(p.parts))
	for i, part := range p.parts {
		grid[i] = part.Match(q)
	}
	verdict := p.together(grid)
	if verdict.State == rule.Depends && p.whole && slices.ContainsFunc(grid, refused) {
		verdict = rule.ShutFor(rule.ByRule, p.wall.system+"/"+p.object, "only a part of it is permitted")
	}
	e.Judge(verdict)
	p.come(q, grid, &e)
	return e
}

func refused(m rule.Match) bool { return m.Verdict.State < rule.Depends }

// State is Decide for the state alone.
func (p *point) State(q *rule.Question) rule.State {
	best, worst := rule.None, rule.Open
	for _, part := range p.parts {
		state := part.Match(q).Verdict.State
		best, worst = max(best, state), min(worst, state)
	}
	switch {
	case worst >= rule.Depends:
		return worst
	case best >= rule.Depends && p.whole:
		return rule.Shut
	case best >= rule.Depends:
		return rule.Depends
	}
	return best
}

// come adds the ways by the rules that permit some part, or, where nothing is
// permitted, by those that would.
func (p *point) come(q *rule.Question, grid []rule.Match, e *rule.Entitlement) {
	if e.State == rule.None {
		return
	}
	byDefault := false
	var by rule.LineSet
	for i := range grid {
		for _, r := range grid[i].May {
			by.Add(r)
		}
		if e.State == rule.Shut {
			for _, r := range p.parts[i].Giving(q) {
				by.Add(r)
			}
		}
		byDefault = byDefault || grid[i].Default || e.State == rule.Shut
	}
	for _, r := range p.wall.index.Some(by) {
		e.Come(r.Routes(q))
	}
	if byDefault {
		e.Come(p.wall.byDefault)
	}
}

// Misses lists the rules that would permit some part.
func (p *point) Misses(q *rule.Question) (misses []rule.Miss) {
	for _, r := range p.rules {
		if r.Effect == rule.Giving {
			misses = r.Miss(q, misses)
		}
	}
	return misses
}

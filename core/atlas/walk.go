package atlas

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Walk says of every line of a system what becomes of it on the way to the answer
// for one point: in the order in which the lines are written. What stands around
// the system is left out.
func (a *Atlas) Walk(u directory.UserID, f *situation.Facts, s *System, p gate.Point) []gate.Pass {
	q := a.Question(u, f)
	q.Passes = gate.Passes{}
	decided := deciding(p.Decide(q))
	about := p.Lines()
	crowds := map[string][]*gate.Crowd{}
	for _, c := range s.Site.Roster.All() {
		crowds[c.Line()] = append(crowds[c.Line()], c)
	}
	var steps []gate.Pass
	for _, line := range s.Lines() {
		step := gate.Pass{Line: line, Fate: gate.Elsewhere}
		for _, c := range crowds[line] {
			switch {
			case c.Off():
				step.Fate = gate.Off
			case !about.Includes(c.Number()):
			case c.Has(q):
				step.Fate = gate.Overtaken
			case step.Fate == gate.Elsewhere:
				step.Fate, step.Lacks = gate.Others, c.Lacks(q)
			}
		}
		if met, came := q.Passes[line]; came && (step.Fate == gate.Overtaken || len(crowds[line]) == 0) {
			step = met
		}
		if decided[line] && step.Fate != gate.May && step.Fate != gate.Unmet && q.Passes[line].Fate != gate.Overtaken {
			step.Fate, step.Lacks = gate.Decides, nil
		}
		steps = append(steps, step.Settled())
	}
	return steps
}

// deciding are the lines that have a part in an entitlement without a condition.
func deciding(e gate.Entitlement) map[string]bool {
	lines := map[string]bool{}
	for _, r := range e.Routes {
		lines[r.Mapping] = true
	}
	for _, stop := range e.ShutBy {
		lines[stop.At] = true
	}
	return lines
}

// Lines lists the names of the lines of the gate, in the order in which they are
// written.
func (s *System) Lines() []string {
	lines := slices.Clone(s.Site.Statements)
	seen := map[string]bool{}
	for _, c := range s.Site.Roster.All() {
		if line := c.Line(); !seen[line] {
			seen[line] = true
			lines = append(lines, line)
		}
	}
	slices.SortStableFunc(lines, func(a, b string) int { return place.Compare(s.Site.Places[a], s.Site.Places[b]) })
	return lines
}

// People counts those for whom a line of a system is, by one of its crowds.
func (a *Atlas) People(s *System, c *gate.Crowd) int {
	among := []*gate.Crowd{c}
	var only func(*gate.Question) bool // of those whom the crowd has; nil: all of them
	if g, ok := s.Gate.(gate.Indirect); ok {
		if crowds, is := g.Comers(c.Line()); is != nil {
			among, only = crowds, is
		}
	}
	switch {
	case c.Nobody():
		return 0
	case len(c.Claims()) == 0 && !c.Excepts() && only == nil:
		return len(gate.Candidates(a.Book, among))
	}
	q := a.Brief(a.Frame.Facts(situation.Situation{}, nil))
	n := 0
	for _, u := range gate.Candidates(a.Book, among) {
		if q.Turn(u); c.Has(q) && (only == nil || only(q)) {
			n++
		}
	}
	return n
}

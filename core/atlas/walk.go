package atlas

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Walk says of every line of a system what becomes of it on the way to the answer
// for one point: in the order in which the lines are written, after what the system decides
// by besides lines. What stands around the system is left out.
func (a *Atlas) Walk(u directory.UserID, f *situation.Facts, s *System, p gate.Point) []gate.Pass {
	steps, _ := a.walk(a.Question(u, f), s, p)
	return steps
}

// walk is Walk, with what the system decides by itself.
func (a *Atlas) walk(q *gate.Question, s *System, p gate.Point) (steps []gate.Pass, own gate.Entitlement) {
	q.Passes = gate.Passes{}
	own = p.Decide(q)
	decided, about := deciding(own), p.Lines()
	crowds := map[string][]*gate.Crowd{}
	for _, c := range s.Site.Roster.All() {
		crowds[c.Line()] = append(crowds[c.Line()], c)
	}
	lines := s.Lines()
	for _, line := range besides(q.Passes, decided, own, lines) {
		steps = append(steps, gate.Pass{Line: line, Fate: gate.Decides, Part: decided[line]}.Settled())
	}
	for _, line := range lines {
		step := gate.Pass{Line: line, Fate: gate.Elsewhere}
		met, came := q.Passes[line]
		for _, c := range crowds[line] {
			step.Part = c.Part()
			switch {
			case c.Off():
				step.Fate = gate.Off
			case !about.Includes(c.Number()):
				if came && met.Fate == gate.Elsewhere {
					step.Lacks = append(met.Lacks, c.Lacks(q)...)
				}
			case c.Has(q):
				step.Fate = gate.Overtaken
			case step.Fate == gate.Elsewhere:
				step.Fate, step.Lacks = gate.Others, c.Lacks(q)
			}
		}
		if came && (step.Fate == gate.Overtaken || len(crowds[line]) == 0) {
			met.Part = cmp.Or(met.Part, step.Part)
			step = met
		}
		if part, is := decided[line]; is && step.Fate != gate.May && step.Fate != gate.Unmet && met.Fate != gate.Overtaken {
			step.Fate, step.Lacks, step.Part = gate.Decides, nil, cmp.Or(step.Part, part)
		}
		step.Part = cmp.Or(step.Part, gate.Gives)
		steps = append(steps, step.Settled())
	}
	return steps, own
}

// besides are what an answer is decided by that is no line of the lists: an override,
// the sources, a default.
func besides(passes gate.Passes, decided map[string]gate.Part, own gate.Entitlement, lines []string) (others []string) {
	for line := range decided {
		if !slices.Contains(lines, line) && strings.HasPrefix(line, own.System+"/") && passes[line].Fate != gate.Overtaken {
			others = append(others, line)
		}
	}
	slices.Sort(others)
	return others
}

// deciding are the lines that have a part in an entitlement without a condition, with what
// they do.
func deciding(e gate.Entitlement) map[string]gate.Part {
	lines := map[string]gate.Part{}
	for _, r := range e.Routes {
		lines[r.Mapping] = gate.Gives
	}
	for _, stop := range e.ShutBy {
		if stop.Reason != gate.ByCondition {
			lines[stop.At] = gate.Takes
		}
	}
	return lines
}

// Why answers for one point of a system by the lines that decide, and says what is lacking
// where the state is none.
func (a *Atlas) Why(u directory.UserID, f *situation.Facts, s *System, p gate.Point) gate.Entitlement {
	e, _ := a.Explain(u, f, s, p)
	return e
}

// Explain is Why, with what becomes of the lines that decide, or may.
func (a *Atlas) Explain(u directory.UserID, f *situation.Facts, s *System, p gate.Point) (gate.Entitlement, []gate.Pass) {
	q := a.Question(u, f)
	e := a.Decide(q, s, p)
	if e.State == gate.None {
		e.Misses = p.Misses(q)
		for _, attribute := range s.lacking(q) {
			for i := range e.Misses {
				e.Misses[i].Lacks = append(e.Misses[i].Lacks, "attribute:"+attribute)
			}
		}
	}
	steps, own := a.walk(q, s, p)
	e.Routes = byWhat(e.Routes, own, steps)
	return e, slices.DeleteFunc(steps, func(step gate.Pass) bool {
		switch step.Fate {
		case gate.Decides, gate.May, gate.Watched:
			return e.State == gate.None
		case gate.Elsewhere:
			return e.State != gate.None || len(step.Lacks) == 0
		}
		return true
	})
}

// byWhat are the routes by lines that decide: where it is open those that give it surely,
// where it depends those that may, and where it is shut those that gave it but for that.
func byWhat(routes []gate.Route, own gate.Entitlement, steps []gate.Pass) []gate.Route {
	fates := map[string]gate.Fate{}
	for _, step := range steps {
		fates[step.Line] = step.Fate
	}
	for _, fit := range [][]gate.Fate{{gate.Decides}, {gate.Decides, gate.May}} {
		if own.State < gate.Open && len(fit) == 1 {
			continue
		}
		kept := slices.DeleteFunc(slices.Clone(routes), func(r gate.Route) bool {
			fate, known := fates[r.Mapping]
			return known && !slices.Contains(fit, fate)
		})
		if len(kept) > 0 {
			return kept
		}
	}
	return routes
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

package atlas

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Walk says of every line of a system what becomes of it on the way to the answer
// for one point: in the order in which the lines are written, after what the system decides
// by besides lines. What stands around the system is left out.
func (a *Atlas) Walk(u directory.UserID, f *situation.Facts, s *System, p rule.Permission) []rule.Pass {
	steps, _ := a.walk(a.Question(u, f), s, p)
	return steps
}

// walk is Walk, with what the system decides by itself.
func (a *Atlas) walk(q *rule.Question, s *System, p rule.Permission) (steps []rule.Pass, own rule.Entitlement) {
	q.Passes = rule.Passes{}
	own = p.Decide(q)
	decided, about := deciding(own), p.Lines()
	rules := map[string][]*rule.Rule{}
	for _, c := range s.Site.Index.All() {
		rules[c.Name] = append(rules[c.Name], c)
	}
	lines := s.Lines()
	for _, line := range besides(q.Passes, decided, own, lines) {
		steps = append(steps, rule.Pass{Line: line, Fate: rule.Decides, Part: decided[line]}.Settled())
	}
	for _, line := range lines {
		step := rule.Pass{Line: line, Fate: rule.Elsewhere}
		met, came := q.Passes[line]
		for _, c := range rules[line] {
			step.Part = c.Part()
			switch {
			case c.Off():
				step.Fate = rule.Off
			case !about.Includes(c.Number()):
				if came && met.Fate == rule.Elsewhere {
					step.Lacks = append(met.Lacks, c.Lacks(q)...)
				}
			case c.Has(q):
				step.Fate = rule.Overtaken
			case step.Fate == rule.Elsewhere:
				step.Fate, step.Lacks = rule.Others, c.Lacks(q)
			}
		}
		if came && step.Fate == rule.Overtaken {
			met.Part = cmp.Or(met.Part, step.Part)
			step = met
		}
		if part, is := decided[line]; is && step.Fate != rule.May && step.Fate != rule.Unmet && met.Fate != rule.Overtaken {
			step.Fate, step.Lacks, step.Part = rule.Decides, nil, cmp.Or(step.Part, part)
		}
		step.Part = cmp.Or(step.Part, rule.Gives)
		steps = append(steps, step.Settled())
	}
	return steps, own
}

// besides are what an answer is decided by that is no line of the lists: an override,
// the sources, a default.
func besides(passes rule.Passes, decided map[string]rule.Part, own rule.Entitlement, lines []string) (others []string) {
	for line := range decided {
		if !slices.Contains(lines, line) && strings.HasPrefix(line, own.System+"/") && passes[line].Fate != rule.Overtaken {
			others = append(others, line)
		}
	}
	slices.Sort(others)
	return others
}

// deciding are the lines that have a part in an entitlement without a condition, with what
// they do.
func deciding(e rule.Entitlement) map[string]rule.Part {
	lines := map[string]rule.Part{}
	for _, r := range e.Routes {
		lines[r.Mapping] = rule.Gives
	}
	for _, stop := range e.ShutBy {
		if stop.Reason != rule.ByCondition {
			lines[stop.At] = rule.Takes
		}
	}
	return lines
}

// Why answers for one point of a system by the lines that decide, and says what is lacking
// where the state is none.
func (a *Atlas) Why(u directory.UserID, f *situation.Facts, s *System, p rule.Permission) rule.Entitlement {
	e, _ := a.Explain(u, f, s, p)
	return e
}

// Explain is Why, with what becomes of the lines that decide, or may.
func (a *Atlas) Explain(
	u directory.UserID,
	f *situation.Facts,
	s *System,
	p rule.Permission,
) (rule.Entitlement, []rule.Pass) {
	q := a.Question(u, f)
	e := a.Decide(q, s, p)
	if e.State == rule.None {
		e.Misses = p.Misses(q)
		for _, attribute := range s.lacking(q) {
			for i := range e.Misses {
				e.Misses[i].Lacks = append(e.Misses[i].Lacks, rule.LackAttribute.Of(attribute))
			}
		}
	}
	steps, own := a.walk(q, s, p)
	e.Routes = byWhat(e.Routes, own, steps)
	return e, slices.DeleteFunc(steps, func(step rule.Pass) bool {
		switch step.Fate {
		case rule.Decides, rule.May, rule.Watched:
			return e.State == rule.None
		case rule.Elsewhere:
			return e.State != rule.None || len(step.Lacks) == 0
		}
		return true
	})
}

// byWhat are the routes by lines that decide: where it is open those that give it surely,
// where it depends those that may, and where it is shut those that gave it but for that.
func byWhat(routes []rule.Route, own rule.Entitlement, steps []rule.Pass) []rule.Route {
	fates := map[string]rule.Fate{}
	for _, step := range steps {
		fates[step.Line] = step.Fate
	}
	for _, fit := range [][]rule.Fate{{rule.Decides}, {rule.Decides, rule.May}, {rule.Decides, rule.May, rule.Unmet}} {
		if own.State < rule.Open && len(fit) == 1 {
			continue
		}
		kept := slices.DeleteFunc(slices.Clone(routes), func(r rule.Route) bool {
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
	var lines []string
	seen := map[string]bool{}
	for _, c := range s.Site.Index.All() {
		if !seen[c.Name] {
			seen[c.Name] = true
			lines = append(lines, c.Name)
		}
	}
	slices.SortStableFunc(lines, func(a, b string) int { return place.Compare(s.Site.Places[a], s.Site.Places[b]) })
	return lines
}

// People counts those for whom a line is, by one of its rules.
func (a *Atlas) People(r *rule.Rule) int {
	candidates := rule.Candidates(a.Book, []*rule.Rule{r})
	switch {
	case r.Nobody():
		return 0
	case len(r.Claims) == 0 && !r.Excepts() && r.Only == nil:
		return len(candidates)
	}
	q := a.Brief(a.Frame.Facts(situation.Situation{}, nil))
	n := 0
	for _, u := range candidates {
		if q.Turn(u); r.Has(q) {
			n++
		}
	}
	return n
}

package signin

import (
	"errors"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

var errThen = errors.New(`it is block, or {require: [aal2, managed-device, …]}`)

const signIn = "sign-in"

// guard is the compiled gate.
type guard struct {
	system   string
	block    bool // the default
	policies []policy
	apps     []string // all systems of the map, by name
	listed   []string // those that stand behind this one, or that it names
	points   []*point // beside listed
	roster   *gate.Roster
}

type policy struct {
	line    gate.Line
	crowd   *gate.Crowd
	apps    []string // nil: all
	when    situation.Condition
	block   bool
	require []requirement
	watched bool
}

type requirement struct {
	word      Requirement
	condition situation.Condition
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	g := &guard{system: s.System.Name, block: d.Default == "block", roster: &s.Roster}
	for _, other := range s.Systems {
		g.apps = append(g.apps, other.Name)
		if standsBehind(other.Behind, s.System.Name) {
			g.listed = append(g.listed, other.Name)
		}
	}
	for i := range d.Policies {
		if d.Policies[i].Mode != "disabled" {
			g.policies = append(g.policies, g.policy(s, &d.Policies[i]))
		}
	}
	slices.Sort(g.listed)
	g.listed = slices.Compact(g.listed)
	for _, app := range g.listed {
		g.points = append(g.points, g.at(app))
	}
	return g
}

func standsBehind(list []gate.Front, system string) bool {
	return slices.ContainsFunc(list, func(f gate.Front) bool {
		return name.Equal(f.Gate[Type.Name], system) || standsBehind(f.Any, system)
	})
}

func (g *guard) policy(s *gate.Site, d *Policy) policy {
	line := s.Line(d.Name, d.Place)
	p := policy{line: line, block: d.Then.Block, watched: d.Mode == "watch", crowd: s.Who(&d.Who, line, gate.Taking)}
	p.when, _ = s.When(d.When, line, gate.Taking)
	for _, ref := range d.Apps {
		if ref.Name == "all" {
			p.apps = nil
			break
		}
		i := slices.IndexFunc(g.apps, func(a string) bool { return name.Equal(a, ref.Name) })
		if i < 0 {
			s.Missing("system", ref, name.Near(ref.Name, slices.Values(g.apps)), line)
			p.apps = append(p.apps, ref.Name)
			continue
		}
		p.apps = append(p.apps, g.apps[i])
		g.listed = append(g.listed, g.apps[i])
	}
	for _, r := range d.Then.Require {
		c, _ := s.Frame.Compile(r.condition(), nil, nil)
		p.require = append(p.require, requirement{r, c})
	}
	return p
}

// point is signing in to one system.
type point struct {
	guard    *guard
	app      string
	policies []int     // those that are about it
	crowds   gate.Held // of these
	// byDefault is the route where policies only take.
	byDefault []gate.Route
}

func (p *point) Object() string { return p.app }

func (p *point) Lines() gate.Held { return p.crowds }

// Decide applies every policy that matches: one block shuts, requirements add
// up (docs/model.md section 5.9).
func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: p.guard.system, Object: p.app, Right: signIn}
	verdict := gate.Opened
	var given gate.Either // under a blocking default: by the policies that require
	for n := range q.Held(p.guard.roster).Among(p.crowds) {
		c := &p.guard.policies[n] // policies alone have crowds
		if c.watched && q.Brief {
			continue
		}
		v := c.verdict(q)
		if !c.block {
			q.Asking(&c.line)
		}
		if c.watched {
			q.Watching(&c.line)
			if c.when.Holds(q.Facts) != situation.False {
				e.Watch = append(e.Watch, gate.Watch{Policy: c.line.Name, Would: c.would(), State: v.State})
			}
			continue
		}
		verdict = verdict.And(v)
		if p.guard.block && !c.block {
			given.Add(q, gate.Conditional(&c.when, q, c.line))
			e.Come(c.crowd.Routes(q, c.line.Name))
		}
	}
	if !p.guard.block {
		if !q.Brief {
			e.Routes = p.byDefault
		}
		e.Judge(verdict)
		return e
	}
	if !given.None() {
		e.Judge(given.Verdict().And(verdict))
	}
	return e
}

// at is signing in to a system, with the policies that are about it.
func (g *guard) at(app string) *point {
	p := &point{guard: g, app: app, byDefault: []gate.Route{{Mapping: g.system + "/default", Path: []gate.Hop{}}}}
	for i := range g.policies {
		if c := &g.policies[i]; c.apps == nil || slices.Contains(c.apps, app) {
			p.policies = append(p.policies, i)
			p.crowds.Add(c.crowd)
		}
	}
	return p
}

func (c *policy) would() string {
	if c.block {
		return "block"
	}
	words := make([]string, len(c.require))
	for i, r := range c.require {
		words[i] = string(r.word)
	}
	return "require " + strings.Join(words, ", ")
}

// verdict is what one policy that names the user leaves.
func (c *policy) verdict(q *gate.Question) gate.Verdict {
	matches := c.when.Holds(q.Facts)
	if q.Passes != nil {
		q.Note(&c.line, matches, &c.when)
	}
	if matches == situation.False {
		return gate.Opened
	}
	if c.block {
		return gate.Barring(&c.when, q, c.line, gate.ByPolicy)
	}
	met, verdict := situation.True, gate.Opened
	for _, r := range c.require {
		truth := r.condition.Holds(q.Facts)
		met = min(met, truth)
		switch {
		case q.Brief || truth == situation.True:
		case truth == situation.Unknown:
			verdict = verdict.And(gate.DependsOn(r.condition.Ways(q.Facts)))
		default:
			verdict = verdict.And(gate.ShutFor(gate.ByPolicy, c.line.Name, string(r.condition.Unmet(q.Facts)[0])))
		}
	}
	switch {
	case met == situation.True:
		return gate.Opened
	case q.Brief && met == situation.False && matches == situation.True:
		return gate.Verdict{State: gate.Shut}
	case q.Brief:
		return gate.Verdict{State: gate.Depends}
	case matches == situation.True:
		return verdict
	}
	// What it requires, or that it does not match.
	return gate.DependsOn(verdict.If.Or(c.when.Opposites(q.Facts)))
}

// Misses lists the policies that would let in under a blocking default.
func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	for _, i := range p.policies {
		c := &p.guard.policies[i]
		if c.block || c.watched {
			continue
		}
		if lacks := c.crowd.Lacks(q); lacks != nil {
			misses = append(misses, gate.Miss{Mapping: c.line.Name, Lacks: lacks})
		}
	}
	return misses
}

// Reach lists signing in to the systems that stand behind this one, and to
// those that its policies name.
func (g *guard) Reach(q *gate.Question, add func(gate.Entitlement)) {
	for _, p := range g.points {
		if e := p.Decide(q); e.State != gate.None {
			add(e)
		}
	}
}

// Public are the systems of which signing in is listed for everyone.
func (g *guard) Public() []string { return g.listed }

// At finds signing in to a system.
func (g *guard) At(object, right string) (gate.Point, error) {
	if right != signIn {
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: []string{signIn}, Within: g.system}
	}
	if object == "" {
		return nil, &gate.ObjectNeededError{System: g.system, Objects: g.listed}
	}
	i := slices.IndexFunc(g.apps, func(a string) bool { return name.Equal(a, object) })
	if i < 0 {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, slices.Values(g.apps)), Within: g.system}
	}
	return g.at(g.apps[i]), nil
}

// Passage asks for signing in to the system behind.
func (g *guard) Passage(to, part string, keys gate.Passage) (gate.Point, error) {
	if part != "" || len(keys) > 0 {
		return nil, errors.New("it takes only the name of a system")
	}
	return g.At(to, signIn)
}

// Check finds nothing of its own: policies take, and name whom they must.
func (g *guard) Check(*gate.Report) {}

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
}

type policy struct {
	line    gate.Line
	crowd   gate.Crowd
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
	g := &guard{system: s.System.Name, block: d.Default == "block"}
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
	return g
}

func standsBehind(list []gate.Front, system string) bool {
	return slices.ContainsFunc(list, func(f gate.Front) bool {
		return strings.EqualFold(f.Gate[Type.Name], system) || standsBehind(f.Any, system)
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
		i := slices.IndexFunc(g.apps, func(a string) bool { return strings.EqualFold(a, ref.Name) })
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
	guard *guard
	app   string
}

func (p *point) Object() string { return p.app }

// Decide applies every policy that matches: one block shuts, requirements add
// up (docs/model.md section 5.9).
func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: p.guard.system, Object: p.app, Right: signIn}
	verdict := gate.Opened
	var given []gate.Verdict // under a blocking default: by the policies that require
	for i := range p.guard.policies {
		c := &p.guard.policies[i]
		if !p.concerns(c) || !c.crowd.Has(q.Subject) {
			continue
		}
		v := c.verdict(q)
		if c.watched {
			if c.when.Holds(q.Facts) != situation.False {
				e.Watch = append(e.Watch, gate.Watch{Policy: c.line.Name, Would: c.would(), State: v.State})
			}
			continue
		}
		verdict = verdict.And(v)
		if p.guard.block && !c.block {
			given = append(given, gate.Conditional(&c.when, q, c.line))
			e.Routes = append(e.Routes, c.crowd.Routes(q, c.line.Name)...)
		}
	}
	if !p.guard.block {
		e.Routes = []gate.Route{{Mapping: p.guard.system + "/default", Path: []gate.Hop{}}}
		e.Judge(verdict)
		return e
	}
	if given != nil {
		e.Judge(gate.Either(given).And(verdict))
	}
	return e
}

func (p *point) concerns(c *policy) bool { return c.apps == nil || slices.Contains(c.apps, p.app) }

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
	if matches == situation.False {
		return gate.Opened
	}
	if c.block {
		return gate.Barring(&c.when, q, c.line, gate.ByPolicy)
	}
	verdict := gate.Opened
	for _, r := range c.require {
		switch met := r.condition.Holds(q.Facts); {
		case met == situation.True:
		case met == situation.Unknown:
			verdict = verdict.And(gate.DependsOn(r.condition.Needs(q.Facts)...))
		case matches == situation.True:
			verdict = verdict.And(gate.ShutFor(gate.ByPolicy, c.line.Name, string(r.condition.Unmet(q.Facts)[0])))
		default:
			verdict = verdict.And(gate.DependsOn(c.when.Opposites(q.Facts)...))
		}
	}
	return verdict
}

// Misses lists the policies that would let in under a blocking default.
func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	for i := range p.guard.policies {
		c := &p.guard.policies[i]
		if c.block || c.watched || !p.concerns(c) {
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
	for _, app := range g.listed {
		if e := (&point{g, app}).Decide(q); e.State != gate.None {
			add(e)
		}
	}
}

// At finds signing in to a system.
func (g *guard) At(object, right string) (gate.Point, error) {
	if right != signIn {
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: []string{signIn}, Within: g.system}
	}
	if object == "" {
		return nil, &gate.ObjectNeededError{System: g.system, Objects: g.listed}
	}
	i := slices.IndexFunc(g.apps, func(a string) bool { return strings.EqualFold(a, object) })
	if i < 0 {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, slices.Values(g.apps)), Within: g.system}
	}
	return &point{g, g.apps[i]}, nil
}

// Passage asks for signing in to the system behind.
func (g *guard) Passage(to, part string, keys gate.Passage) (gate.Point, error) {
	if part != "" || len(keys) > 0 {
		return nil, errors.New("it takes the name of a system alone")
	}
	return g.At(to, signIn)
}

// Check finds nothing of its own: policies take, and name whom they must.
func (g *guard) Check(*gate.Report) {}

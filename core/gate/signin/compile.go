package signin

import (
	"errors"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

var errThen = errors.New(`it is block, or {require: [aal2, managed-device, …]}`)

// compiled is the compiled gate. It lists signing in to the systems that stand behind this
// one, or that it names.
type compiled struct {
	*rule.Listing
	block    bool // the default
	policies []policy
	apps     []string // all systems of the map, by name
}

type policy struct {
	*rule.Rule
	apps    []string // nil: all
	block   bool
	watched bool
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	g := &compiled{block: d.Default == "block", Listing: rule.NewListing(s.System.Name, &s.Index)}
	var listed []string
	for _, other := range s.Systems {
		g.apps = append(g.apps, other.Name)
		if standsBehind(other.Behind, s.System.Name) {
			listed = append(listed, other.Name)
		}
	}
	for i := range d.Policies {
		if d.Policies[i].Mode != "disabled" {
			p := g.policy(s, &d.Policies[i])
			if g.policies = append(g.policies, p); p.Off() {
				continue
			}
			listed = append(
				listed,
				slices.DeleteFunc(slices.Clone(p.apps), func(a string) bool { return !slices.Contains(g.apps, a) })...)
		}
	}
	slices.Sort(listed)
	for _, app := range slices.Compact(listed) {
		g.Add(app, gate.SignIn, g.decision(app), rule.LineSet{}, true)
	}
	return g
}

func standsBehind(list []gate.Prerequisite, system string) bool {
	return slices.ContainsFunc(list, func(f gate.Prerequisite) bool {
		return name.Equal(f.Gate[Type.Name], system) || standsBehind(f.Any, system)
	})
}

func (g *compiled) policy(s *gate.Site, d *Policy) policy {
	p := policy{
		Rule:    s.Rule(s.Line(d.Name, d.Place), &d.Who, d.When, rule.Taking),
		block:   d.Then.Block,
		watched: d.Mode == "watch",
	}
	p.Reason, p.Would = rule.ByPolicy, d.Then.would()
	if !p.block {
		p.Then = []situation.Condition{}
	}
	for _, r := range d.Then.Require {
		c, _ := s.Frame.Compile(r.condition(), nil, nil)
		p.Then = append(p.Then, c)
	}
	if slices.ContainsFunc(d.Apps, func(ref name.Ref) bool { return ref.Name == "all" }) {
		return p
	}
	for _, ref := range d.Apps {
		i := slices.IndexFunc(g.apps, func(a string) bool { return name.Equal(a, ref.Name) })
		if i < 0 {
			s.Missing("system", ref, name.Near(ref.Name, slices.Values(g.apps)), p.Line)
			p.apps = append(p.apps, ref.Name)
			continue
		}
		p.apps = append(p.apps, g.apps[i])
	}
	return p
}

// would says what is done.
func (t *Then) would() string {
	if t.Block {
		return "block"
	}
	words := make([]string, len(t.Require))
	for i, r := range t.Require {
		words[i] = string(r)
	}
	return "require " + strings.Join(words, ", ")
}

// decision is what decides on signing in to a system: every policy that matches applies,
// one block shuts, and requirements add up (docs/model.md section 5.9).
func (g *compiled) decision(app string) *rule.Decision {
	d := &rule.Decision{Index: g.Index}
	if g.block {
		d.Nearest = &rule.Level{}
	} else {
		d.Default = []rule.Route{{Mapping: g.System + "/default", Path: []rule.Hop{}}}
	}
	for i := range g.policies {
		switch p := &g.policies[i]; {
		case p.apps != nil && !slices.Contains(p.apps, app):
		case p.watched:
			d.Watched.Add(p.Rule)
		case p.block:
			d.Limits.Add(p.Rule)
		default:
			d.Asks.Add(p.Rule)
			if g.block {
				d.Nearest.Gives.Add(p.Rule)
			}
		}
	}
	return d
}

// At finds signing in to a system.
func (g *compiled) At(object, right string) (rule.Permission, error) {
	if right != gate.SignIn {
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: []string{gate.SignIn}, Within: g.System}
	}
	if object == "" {
		return nil, &rule.ObjectNeededError{System: g.System, Objects: g.Objects()}
	}
	i := slices.IndexFunc(g.apps, func(a string) bool { return name.Equal(a, object) })
	if i < 0 {
		return nil, &directory.NotFoundError{
			Kind:   "object",
			Name:   object,
			Near:   name.Near(object, slices.Values(g.apps)),
			Within: g.System,
		}
	}
	return g.Entry(g.apps[i], right, g.decision(g.apps[i])), nil
}

// InFront asks for signing in to the system behind.
func (g *compiled) InFront(to, part string, keys gate.Passage) (rule.Permission, error) {
	if part != "" || len(keys) > 0 {
		return nil, errors.New("it takes only the name of a system")
	}
	return g.At(to, gate.SignIn)
}

// Catalogue lists the systems, of which each can be signed in to; the right is signing in.
func (g *compiled) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: g.apps, Rights: []string{gate.SignIn}}
}

// Check finds nothing of its own: policies take, and name whom they must.
func (g *compiled) Check(*gate.Report) {}

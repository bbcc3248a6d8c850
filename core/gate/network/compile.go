package network

import (
	"maps"
	"slices"
	"time"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// ways are the objects of this type.
var ways = situation.Access("").Values()

// byName are they in the order of listings.
var byName = slices.Sorted(slices.Values(ways))

const (
	admit     = "admit"
	tagObject = "tag"
)

// compiled is the compiled gate.
type compiled struct {
	*rule.Listing
	override *override // nil: there is none
	tags     tags
	policies []policy
}

type policy struct {
	*rule.Rule
	ways  []string
	tags  *tagged
	reply map[string]any
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	p := &compiled{Listing: rule.NewListing(s.System.Name, &s.Index)}
	known := &sources{line: p.System + "/sources"}
	for _, ref := range d.Sources {
		d.source(s, known, ref)
	}
	if d.Override != nil {
		p.override = &override{name.Fold(d.Override.Attribute), p.System + "/override"}
	}
	p.tags.compile(s, d.Tags)
	for i := range d.Policies {
		p.policies = append(p.policies, d.policy(s, p, &d.Policies[i]))
	}
	for _, tag := range p.tags.names {
		decision := p.tags.decision(tag)
		decision.Locks = known.locks()
		p.Add(tagObject, tag, decision, decision.Nearest.Gives, decision.Default != nil)
	}
	for _, way := range byName {
		d := p.decision(way, known)
		gives, _ := d.Gives()
		p.Add(way, admit, d, gives, true)
	}
	return p
}

func (d *Document) source(s *gate.Site, known *sources, ref name.Ref) {
	var all []string
	known.homes = append(known.homes, make([]bool, len(s.Book.Directories())-len(known.homes))...)
	for i, dir := range s.Book.Directories() {
		if name.Equal(dir.Name, ref.Name) {
			known.homes[i] = true
			return
		}
		all = append(all, dir.Name)
	}
	s.Missing("directory", ref, name.Near(ref.Name, slices.Values(all)), s.Line("sources", ref.Place))
}

func (d *Document) policy(s *gate.Site, p *compiled, doc *Policy) policy {
	line, effect := s.Line(doc.Name, doc.Place), rule.Taking
	if doc.Verdict == "admit" {
		effect = rule.Giving
	}
	c := policy{ways: ways}
	when := doc.When
	if when != nil && len(when.Access) > 0 {
		c.ways = nil
		for _, w := range when.Access {
			c.ways = append(c.ways, string(w))
		}
		rest := *when
		rest.Access, when = nil, &rest
	}
	tested := doc.Who.Empty() && len(doc.Tags) > 0
	if tested {
		c.Rule = s.EveryoneBut(line, &doc.Who, when, effect)
	} else {
		c.Rule = s.Rule(line, &doc.Who, when, effect)
	}
	var names []string
	for _, ref := range doc.Tags {
		if !slices.Contains(p.tags.names, ref.Name) {
			s.Missing("tag", ref, name.Near(ref.Name, slices.Values(p.tags.names)), line)
			if effect == rule.Giving {
				c.Break()
			}
		}
		names = append(names, ref.Name)
	}
	if names != nil {
		c.tags = p.tags.ask(c.Rule, names)
		c.Only, c.Tested = c.tags, tested
	}
	if doc.Reply != nil {
		c.reply = d.reply(s, doc.Reply, line)
	}
	return c
}

// decision is what decides on admission to a kind of network: the sources come first, then
// the override, then the policies about it.
func (p *compiled) decision(way string, known *sources) *rule.Decision {
	d := &rule.Decision{Index: p.Index, Locks: known.locks()}
	replies := map[*rule.Rule]map[string]any{}
	for i := range p.policies {
		if c := &p.policies[i]; slices.Contains(c.ways, way) {
			d.Ordered.Add(c.Rule)
			replies[c.Rule] = c.reply
		}
	}
	if p.override != nil {
		d.Override = p.override
	}
	d.Finish = func(_ *rule.Question, state rule.State, by *rule.Rule) (x rule.Extra) {
		if by != nil && state >= rule.Depends {
			x.Reply = replies[by]
		}
		return x
	}
	return d
}

func (d *Document) reply(s *gate.Site, r *Reply, line rule.Line) map[string]any {
	reply := map[string]any{}
	put := func(key, value string) {
		if value != "" {
			reply[key] = value
		}
	}
	put("class", r.Class)
	put("acl", r.ACL.Name)
	put("message", r.Message)
	for key, value := range map[string]string{"session_timeout": r.SessionTimeout, "idle_timeout": r.IdleTimeout} {
		put(key, value)
		if t, err := time.ParseDuration(value); value != "" && (err != nil || t <= 0) {
			s.Errors.Addf(line.Place, "%s of policy %s is a length of time, such as 8h or 15m, not %q", key, line.Name, value)
		}
	}
	if r.VLAN != nil {
		reply["vlan"] = *r.VLAN
		if *r.VLAN < 1 || *r.VLAN > 4094 {
			s.Errors.Addf(line.Place, "vlan of policy %s is a number from 1 to 4094, not %d", line.Name, *r.VLAN)
		}
	}
	if _, ok := d.ACLs[r.ACL.Name]; r.ACL.Name != "" && !ok {
		s.Missing("address list", r.ACL, name.Near(r.ACL.Name, maps.Keys(d.ACLs)), line)
	}
	return reply
}

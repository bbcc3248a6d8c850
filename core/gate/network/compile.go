package network

import (
	"maps"
	"slices"
	"time"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// ways are the objects of this type.
var ways = situation.Access("").Values()

const admit = "admit"

// porter is the compiled gate.
type porter struct {
	system   string
	sources  []string // folded names; nil: all
	homes    []bool   // by number of a directory: whether it is one of them
	override string   // folded
	first    bool
	fallback string // the default tag
	spare    uint32 // its number
	lines    struct{ override, sources string }
	tags     []tagRule
	tagging  gate.Held // their crowds
	policies []policy
	crowds   map[string]*gate.Held // of the policies that are about each kind of network
	roster   *gate.Roster
	names    []string // of tags, in the order of listings
}

type tagRule struct {
	line  gate.Line
	crowd *gate.Crowd
	tag   string
	id    uint32
}

type policy struct {
	line   gate.Line
	anyone bool // no who of its own: the tags alone say for whom
	crowd  *gate.Crowd
	tags   []string
	needs  gate.Held // a bit for each of the tags
	ways   []string
	when   situation.Condition
	admit  bool
	reply  map[string]any
	broken bool
	// conditions is when, in the form that ordered lists take.
	conditions []*situation.Condition
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	p := &porter{system: s.System.Name, crowds: map[string]*gate.Held{}, roster: &s.Roster}
	for _, way := range ways {
		p.crowds[way] = &gate.Held{}
	}
	p.lines.override, p.lines.sources = p.system+"/override", p.system+"/sources"
	for _, ref := range d.Sources {
		d.source(s, p, ref)
	}
	for _, dir := range s.Book.Directories() {
		p.homes = append(p.homes, slices.Contains(p.sources, name.Fold(dir.Name)))
	}
	if d.Override != nil {
		p.override = name.Fold(d.Override.Attribute)
	}
	if d.Tags != nil {
		p.first, p.fallback = d.Tags.Match == "first", d.Tags.Default
		for i := range d.Tags.Rules {
			p.names = append(p.names, d.Tags.Rules[i].Tag)
		}
		if p.fallback != "" {
			p.names = append(p.names, p.fallback)
		}
		slices.Sort(p.names)
		p.names = slices.Compact(p.names)
		p.spare = p.tagID(p.fallback)
		for i := range d.Tags.Rules {
			r := &d.Tags.Rules[i]
			line := s.Numbered("tag "+r.Tag, i, r.Place)
			t := tagRule{line, s.Who(&r.Who, line, gate.Giving), r.Tag, p.tagID(r.Tag)}
			p.tags = append(p.tags, t)
			p.tagging.Add(t.crowd)
		}
	}
	for i := range d.Policies {
		p.policies = append(p.policies, d.policy(s, p, &d.Policies[i]))
	}
	for i := range p.policies {
		c := &p.policies[i]
		c.conditions = []*situation.Condition{&c.when}
		c.needs = make(gate.Held, len(p.names)/64+1)
		for _, tag := range c.tags {
			c.needs.Put(p.tagID(tag))
		}
		for _, way := range c.ways {
			p.crowds[way].Add(c.crowd)
		}
	}
	return p
}

func (d *Document) source(s *gate.Site, p *porter, ref name.Ref) {
	var all []string
	for _, dir := range s.Book.Directories() {
		if name.Equal(dir.Name, ref.Name) {
			p.sources = append(p.sources, name.Fold(dir.Name))
			return
		}
		all = append(all, dir.Name)
	}
	p.sources = append(p.sources, name.Fold(ref.Name))
	s.Missing("directory", ref, name.Near(ref.Name, slices.Values(all)), s.Line("sources", ref.Place))
}

func (d *Document) policy(s *gate.Site, p *porter, doc *Policy) policy {
	line := s.Line(doc.Name, doc.Place)
	c := policy{line: line, admit: doc.Verdict == "admit", ways: ways, anyone: doc.Who.Empty() && len(doc.Tags) > 0}
	effect := gate.Taking
	if c.admit {
		effect = gate.Giving
	}
	if c.anyone {
		c.crowd = s.EveryoneBut(doc.Except, line, effect)
	} else {
		c.crowd = s.Who(&doc.Who, line, effect)
	}
	if doc.Off {
		c.crowd.SwitchOff()
	}
	for _, ref := range doc.Tags {
		if !slices.Contains(slices.Collect(p.tagNames), ref.Name) {
			s.Missing("tag", ref, name.Near(ref.Name, p.tagNames), line)
			c.broken = c.admit
		}
		c.tags = append(c.tags, ref.Name)
	}
	if doc.When != nil {
		rest := *doc.When
		if len(rest.Access) > 0 {
			c.ways = nil
			for _, w := range rest.Access {
				c.ways = append(c.ways, string(w))
			}
			rest.Access = nil
		}
		when, usable := s.When(&rest, line, effect)
		c.when, c.broken = when, c.broken || !usable
	}
	if doc.Reply != nil {
		c.reply = d.reply(s, doc.Reply, line)
	}
	return c
}

func (d *Document) reply(s *gate.Site, r *Reply, line gate.Line) map[string]any {
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

// tagNames yields every tag that a rule or the default gives.
func (p *porter) tagNames(yield func(string) bool) { slices.Values(p.names)(yield) }

// tagID is the number of a tag; one that nobody gets has the number after all.
func (p *porter) tagID(tag string) uint32 {
	if i, ok := slices.BinarySearch(p.names, tag); ok {
		return uint32(i)
	}
	return uint32(len(p.names))
}

// tagsOf are the tags that a user gets, a bit for each.
func (p *porter) tagsOf(q *gate.Question) gate.Held {
	tags := gate.Held(q.Words(len(p.names)/64 + 1))
	some := false
	for i := range q.Held(p.roster).Among(p.tagging) { // the tags come first
		tags.Put(p.tags[i].id)
		if some = true; p.first {
			break
		}
	}
	if !some && p.fallback != "" {
		tags.Put(p.spare)
	}
	return tags
}

// Heeds says that the override is looked at.
func (p *porter) Heeds(*directory.Book, gate.Point) gate.Heed {
	if p.override == "" {
		return gate.Heed{}
	}
	return gate.Heed{Attributes: []string{p.override}}
}

// overriding is the value of the attribute that decides before any policy.
func (p *porter) overriding(q *gate.Question) string {
	if p.override == "" {
		return ""
	}
	for _, v := range q.Subject.User().Attributes.Get(p.override) {
		if v.Kind != filter.Complex {
			return v.Text
		}
	}
	return ""
}

package network

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// point is admission to one kind of network, or one tag.
type point struct {
	porter *porter
	way    string // empty: a tag
	tag    string
	id     uint32 // of the tag
}

func (p *porter) point(way string) *point {
	return &point{porter: p, way: way}
}

func (p *porter) tagPoint(tag string) *point {
	return &point{porter: p, tag: tag, id: p.tagID(tag)}
}

// byName are the kinds of network in the order of listings.
var byName = slices.Sorted(slices.Values(ways))

// visit is a subject at the porter: the tags that it gets, computed once.
type visit struct {
	*gate.Question
	tags gate.Held
}

func (p *porter) visit(q *gate.Question) visit { return visit{q, p.tagsOf(q)} }

const tagObject = "tag"

func (p *point) Object() string {
	if p.way == "" {
		return tagObject
	}
	return p.way
}

// Lines are those that give tags, and the policies about the kind of network.
func (p *point) Lines() gate.Held {
	var lines gate.Held
	lines.Join(p.porter.tagging)
	if p.way != "" {
		lines.Join(*p.porter.crowds[p.way])
	}
	return lines
}

func (p *point) right() string {
	if p.way == "" {
		return p.tag
	}
	return admit
}

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	return p.decide(p.porter.visit(q))
}

func (p *point) decide(q visit) gate.Entitlement {
	e := gate.Entitlement{System: p.porter.system, Object: p.Object(), Right: p.right()}
	if p.way == "" {
		p.decideTag(q, &e)
	} else {
		p.decideWay(q, &e)
	}
	return e
}

func (p *point) decideTag(q visit, e *gate.Entitlement) {
	if !q.tags.Has(p.id) {
		return
	}
	e.Judge(p.porter.known(q.Question))
	if q.Brief {
		return
	}
	for i := range p.porter.tags {
		t := &p.porter.tags[i]
		if t.tag == p.tag && t.crowd.Has(q.Question) {
			e.Come(t.crowd.Routes(q.Question, t.line.Name))
		}
	}
	if e.Routes == nil {
		e.Routes = []gate.Route{{Mapping: p.porter.system + "/tag default", Path: []gate.Hop{}}}
	}
}

// known says whether the user's directory is one of the sources.
func (p *porter) known(q *gate.Question) gate.Verdict {
	if p.sources == nil || p.homes[q.Book.HomeOf(q.Subject.ID)] {
		return gate.Opened
	}
	return q.ShutFor(gate.BySource, p.lines.sources, q.Book.UserHome(q.Subject.ID))
}

// decideWay: the sources come first, then the override, then the policies.
func (p *point) decideWay(q visit, e *gate.Entitlement) {
	walk := gate.FirstMatch(q.Question)
	more := true
	for n := range q.Held(p.porter.roster).Among(*p.porter.crowds[p.way]) {
		i := int(n) - len(p.porter.tags) // the tags come first
		c := &p.porter.policies[i]
		if !c.fits(q) {
			continue
		}
		if !more {
			q.Overtaken(&c.line)
		}
		if more = more && walk.Meet(&c.line, c.admit, c.conditions, i); !more && q.Brief {
			break
		}
		if c.admit && !q.Brief {
			e.Come(p.porter.routes(q, c))
		}
	}
	verdict, winner := walk.End(false)
	known := p.porter.known(q.Question)
	override := p.porter.overriding(q.Question)
	line := p.porter.lines.override
	switch {
	case strings.EqualFold(override, "always"):
		verdict, winner = gate.Opened, -1
		if q.Passes != nil {
			q.Outrank(&gate.Line{Name: line})
		}
		if !q.Brief {
			e.Routes = []gate.Route{{Mapping: line, Direct: true, Path: []gate.Hop{}}}
		}
	case verdict.State == gate.None:
		return
	case strings.EqualFold(override, "never"):
		verdict = q.ShutFor(gate.ByOverride, line, "").And(verdict)
	}
	e.Judge(known.And(verdict))
	if winner >= 0 && e.State >= gate.Depends {
		e.Reply = p.porter.policies[winner].reply
	}
}

// routes are the ways to a policy: its own, or, where its tags alone say for
// whom it is, those to the tags.
func (p *porter) routes(q visit, c *policy) []gate.Route {
	if !c.anyone {
		return c.crowd.Routes(q.Question, c.line.Name)
	}
	var routes []gate.Route
	for id, tag := range p.names {
		if !q.tags.Has(uint32(id)) || !slices.Contains(c.tags, tag) {
			continue
		}
		ways := []gate.Route{}
		for i := range p.tags {
			if t := &p.tags[i]; t.tag == tag && t.crowd.Has(q.Question) {
				ways = append(ways, t.crowd.Routes(q.Question, c.line.Name)...)
				q.Note(&t.line, situation.True)
			}
		}
		if len(ways) == 0 { // the default tag
			ways = append(ways, gate.Route{Mapping: c.line.Name, Path: []gate.Hop{}})
		}
		for i := range ways {
			ways[i].By = "tag:" + tag
		}
		routes = append(routes, ways...)
	}
	return routes
}

// Comers are those who get one of the tags that a policy asks for.
func (p *porter) Comers(line string) (crowds []*gate.Crowd, is func(*gate.Question) bool) {
	i := slices.IndexFunc(p.policies, func(c policy) bool { return c.line.Name == line })
	if i < 0 || p.policies[i].tags == nil {
		return nil, nil
	}
	c := &p.policies[i]
	for i := range p.tags {
		if t := &p.tags[i]; c.needs.Has(t.id) {
			crowds = append(crowds, t.crowd)
		}
	}
	if p.fallback != "" && c.needs.Has(p.spare) {
		crowds = append(crowds, c.crowd) // whoever gets no other tag
	}
	return crowds, func(q *gate.Question) bool { return c.fits(p.visit(q)) }
}

// fits says whether a policy that names the subject is for the tags that it gets.
func (c *policy) fits(q visit) bool {
	return !c.broken && (c.tags == nil || q.tags.Meets(c.needs))
}

func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	add := func(line gate.Line, lacks []string) {
		if lacks != nil {
			misses = append(misses, gate.Miss{Mapping: line.Name, Lacks: lacks})
		}
	}
	if p.way == "" {
		for i := range p.porter.tags {
			if t := &p.porter.tags[i]; t.tag == p.tag {
				add(t.line, t.crowd.Lacks(q))
			}
		}
		return misses
	}
	have := p.porter.tagsOf(q)
	for i := range p.porter.policies {
		c := &p.porter.policies[i]
		if !c.admit || c.broken || !slices.Contains(c.ways, p.way) {
			continue
		}
		lacks := c.crowd.Lacks(q)
		if c.tags != nil && !have.Meets(c.needs) {
			for _, t := range c.tags {
				lacks = append(lacks, "tag:"+t)
			}
		}
		add(c.line, lacks)
	}
	return misses
}

// Reach lists the tags that the subject gets and the networks that admit it.
func (p *porter) Reach(q *gate.Question, add func(gate.Entitlement)) {
	v := p.visit(q)
	for id, tag := range p.names {
		if v.tags.Has(uint32(id)) {
			add(p.tagPoint(tag).decide(v))
		}
	}
	for _, way := range byName {
		if e := p.point(way).decide(v); e.State != gate.None {
			add(e)
		}
	}
}

// Public are the tags: a policy that asks for one which nobody gives is broken.
func (p *porter) Public() []string { return p.names }

// At finds admission to a kind of network, or a tag.
func (p *porter) At(object, right string) (gate.Point, error) {
	objects := append(slices.Clone(ways), tagObject)
	switch {
	case object == "" && right == admit:
		return nil, &gate.ObjectNeededError{System: p.system, Objects: ways}
	case object != "" && !slices.Contains(objects, object):
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, slices.Values(objects)), Within: p.system}
	case (object == "" || object == tagObject) && slices.Contains(slices.Collect(p.tagNames), right):
		return p.tagPoint(right), nil
	case object == "" || object == tagObject:
		return nil, &directory.NotFoundError{Kind: "tag", Name: right, Near: name.Near(right, p.tagNames), Within: p.system}
	case right != admit:
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: []string{admit}, Within: p.system}
	}
	return p.point(object), nil
}

// Passage asks for admission to the kind of network that the key access names.
func (p *porter) Passage(_, _ string, keys gate.Passage) (gate.Point, error) {
	if len(keys) != 1 || !slices.Contains(ways, keys["access"]) {
		return nil, errAccess
	}
	way := keys["access"]
	return &passage{p.point(way), situation.AccessBy(situation.Access(way)), gate.Line{Name: p.system + "/" + way}}, nil
}

// passage is being admitted to a kind of network, and being on it.
type passage struct {
	*point
	on   situation.Condition
	line gate.Line
}

// Decide asks for both.
func (p *passage) Decide(q *gate.Question) gate.Entitlement {
	e := p.point.Decide(q)
	if e.State != gate.None {
		e.Judge(e.Verdict().And(gate.Conditional(&p.on, q, p.line)))
	}
	return e
}

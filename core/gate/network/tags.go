package network

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/rule"
)

// tags are the tags that users get, before policies are looked at.
type tags struct {
	system   string
	index    *rule.Index
	first    bool // the first rule that matches counts alone
	fallback string
	rules    []tagRule
	lines    rule.LineSet // the rules
	names    []string     // of tags, in the order of listings
	facts    [][]uint32   // by number of a tag: the facts that hold with it
	bits     uint32       // how many there are for the tags and the facts
}

type tagRule struct {
	*rule.Rule
	tag string
	id  uint32
}

func (t *tags) compile(s *gate.Site, d *Tags) {
	t.system, t.index = s.System.Name, &s.Index
	if d == nil {
		return
	}
	t.first, t.fallback = d.Match == "first", d.Default
	for i := range d.Rules {
		t.names = append(t.names, d.Rules[i].Tag)
	}
	if t.fallback != "" {
		t.names = append(t.names, t.fallback)
	}
	slices.Sort(t.names)
	t.names = slices.Compact(t.names)
	t.facts, t.bits = make([][]uint32, len(t.names)), uint32(len(t.names))
	for i := range d.Rules {
		r := &d.Rules[i]
		x := tagRule{s.Rule(s.Numbered("tag "+r.Tag, i, r.Place), &r.Who, nil, rule.Giving), r.Tag, t.id(r.Tag)}
		t.rules = append(t.rules, x)
		t.lines.Add(x.Rule)
	}
}

// id is the number of a tag that somebody may get.
func (t *tags) id(tag string) uint32 {
	i, _ := slices.BinarySearch(t.names, tag)
	return uint32(i)
}

// put sets the bits of a tag.
func (t *tags) put(tag uint32, into rule.Held) {
	into.Put(tag)
	for _, fact := range t.facts[tag] {
		into.Put(fact)
	}
}

// Derive works out the tags that a user gets, a bit for each, and what follows from them.
func (t *tags) Derive(q *rule.Question, into rule.Held) {
	some := false
	first := uint32(0)
	if len(t.rules) > 0 {
		first = t.rules[0].Number()
	}
	for n := range q.Held(t.index).Among(t.lines) {
		t.put(t.rules[n-first].id, into)
		if some = true; t.first {
			break
		}
	}
	if !some && t.fallback != "" {
		t.put(t.id(t.fallback), into)
	}
}

func (t *tags) of(q *rule.Question) rule.Held { return q.Derived(t, int(t.bits)/64+1) }

// decision is what decides on a tag: the rules that give it, or that no other is given.
func (t *tags) decision(tag string) *rule.Decision {
	d := &rule.Decision{
		Index:   t.index,
		Nearest: &rule.Level{},
		Only:    t.any([]string{tag}),
	}
	for _, r := range t.rules {
		if r.tag == tag {
			d.Nearest.Gives.Add(r.Rule)
		}
	}
	if tag == t.fallback {
		d.Default = []rule.Route{{Mapping: t.system + "/tag default", Path: []rule.Hop{}}}
	}
	return d
}

// tagged is the fact that one gets any of some tags.
type tagged struct {
	tags   *tags
	number uint32 // of its bit
	names  []string
}

// any is the fact that one gets any of some tags; one that nobody gets is let be.
func (t *tags) any(names []string) *tagged {
	fact := &tagged{t, t.bits, names}
	t.bits++
	for _, name := range names {
		if tag, ok := slices.BinarySearch(t.names, name); ok {
			t.facts[tag] = append(t.facts[tag], fact.number)
		}
	}
	return fact
}

// Holds says whether the subject gets one of them.
func (t *tagged) Holds(q *rule.Question) bool { return t.tags.of(q).Has(t.number) }

// Routes are the ways to the tags, by the names of these.
func (t *tagged) Routes(q *rule.Question, line string) (routes []rule.Route) {
	have := t.tags.of(q)
	for id, tag := range t.tags.names {
		if !have.Has(uint32(id)) || !slices.Contains(t.names, tag) {
			continue
		}
		from := len(routes)
		for _, r := range t.tags.rules {
			if r.tag == tag && r.Has(q) {
				routes = append(routes, r.RoutesTo(q, line)...)
				q.Note(r.Rule, r.When.Holds(q.Facts))
			}
		}
		if len(routes) == from { // the default tag
			routes = append(routes, rule.Route{Mapping: line, Path: []rule.Hop{}})
		}
		for i := range routes[from:] {
			routes[from+i].By = "tag:" + tag
		}
	}
	return routes
}

// Lacks are the tags.
func (t *tagged) Lacks(*rule.Question) []rule.Lack {
	lacks := make([]rule.Lack, len(t.names))
	for i, tag := range t.names {
		lacks[i] = rule.LackTag.Of(tag)
	}
	return lacks
}

// From are the rules that give one of the tags; for the default tag everyone may.
func (t *tagged) From() (rules []*rule.Rule, everyone bool) {
	for _, r := range t.tags.rules {
		if slices.Contains(t.names, r.tag) {
			rules = append(rules, r.Rule)
		}
	}
	return rules, slices.Contains(t.names, t.tags.fallback)
}

// Lines are all rules for tags.
func (t *tagged) Lines() rule.LineSet { return t.tags.lines }

// Depends is nothing beside the lines.
func (*tagged) Depends(*directory.Book) (d rule.Dependencies) { return d }

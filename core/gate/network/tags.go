package network

import (
	"iter"
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
	spare    uint32 // the number of the fallback
	rules    []tagRule
	lines    rule.LineSet   // the rules
	start    uint32         // the number of the first of them; the others follow
	names    []string       // of tags, in the order of listings
	words    int            // that a bit for each tag takes
	asking   rule.LineSet   // the policies that ask for a tag
	passes   []rule.LineSet // by number of a tag: those that are content with it
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
	t.spare = t.id(t.fallback)
	t.passes, t.words = make([]rule.LineSet, len(t.names)), len(t.names)/64+1
	for i := range d.Rules {
		r := &d.Rules[i]
		x := tagRule{s.Rule(s.Numbered("tag "+r.Tag, i, r.Place), &r.Who, nil, rule.Giving), r.Tag, t.id(r.Tag)}
		if i == 0 {
			t.start = x.Number()
		}
		t.rules = append(t.rules, x)
		t.lines.Add(x.Rule)
	}
	s.Index.NarrowBy(t)
}

// id is the number of a tag that somebody may get.
func (t *tags) id(tag string) uint32 {
	i, _ := slices.BinarySearch(t.names, tag)
	return uint32(i)
}

// given are the numbers of the tags that somebody gets, by the rules for whom these are.
func (t *tags) given(held rule.Held) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		some := false
		for n := range held.Among(t.lines) {
			if some = true; !yield(t.rules[n-t.start].id) || t.first {
				return
			}
		}
		if !some && t.fallback != "" {
			yield(t.spare)
		}
	}
}

// Derive works out the tags that a user gets, a bit for each.
func (t *tags) Derive(q *rule.Question, into rule.Held) {
	for tag := range t.given(q.Held(t.index)) {
		into.Put(tag)
	}
}

func (t *tags) of(q *rule.Question) rule.Held { return q.Derived(t, t.words) }

// Narrow leaves those policies that are content with a tag that the user gets.
func (t *tags) Narrow(q *rule.Question, held rule.Held) {
	if t.asking.Empty() {
		return
	}
	content := rule.Held(q.Words(len(held)))
	for tag := range t.given(held) {
		content.Join(t.passes[tag])
	}
	held.Narrow(t.asking, content)
}

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
	tags  *tags
	names []string
	ids   []uint32 // of those that somebody may get
}

// any is the fact that one gets any of some tags; one that nobody gets is let be.
func (t *tags) any(names []string) *tagged {
	fact := &tagged{tags: t, names: names}
	for _, name := range names {
		if id, ok := slices.BinarySearch(t.names, name); ok {
			fact.ids = append(fact.ids, uint32(id))
		}
	}
	return fact
}

// ask makes a policy one for those who get any of some tags.
func (t *tags) ask(policy *rule.Rule, names []string) *tagged {
	fact := t.any(names)
	t.asking.Add(policy)
	for _, id := range fact.ids {
		t.passes[id].Add(policy)
	}
	return fact
}

// Holds says whether the subject gets one of them.
func (t *tagged) Holds(q *rule.Question) bool {
	return slices.ContainsFunc(t.ids, t.tags.of(q).Has)
}

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

package roles

import (
	"maps"
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// compiled is the compiled gate.
type compiled struct {
	*rule.Listing
	gate.NotInFront
	rights    []string // the catalogue, sorted
	roles     map[string]set
	resources []resource
	at        map[string]int // the resources by path
	mappings  []mapping
	limits    []mapping
}

type resource struct {
	path      string
	declared  bool // the root is there even where nobody declares it
	sealed    bool
	parent    int // -1 at the root
	tags      map[string]string
	mappings  []int            // those that apply here, in the order of writing
	decisions []*rule.Decision // by right
}

// mapping is a mapping, or a limit, which has no tags.
type mapping struct {
	*rule.Rule
	rights set
	object string
	where  map[string]string
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	c := compiler{
		Site: s,
		doc:  d,
		tree: &compiled{Listing: rule.NewListing(s.System.Name, &s.Index)},
		sets: map[string]set{},
	}
	c.catalogue()
	c.grow()
	for _, role := range slices.Sorted(maps.Keys(d.Roles)) {
		c.role(role, nil)
	}
	for i := range d.EveryoneHas {
		c.common(d.EveryoneHas[i])
	}
	for i := range d.Mappings {
		c.mapping(i)
	}
	for i := range d.Limits {
		c.limit(i)
	}
	c.apply()
	c.tree.roles = c.sets
	return c.tree
}

type compiler struct {
	*gate.Site
	doc  *Document
	tree *compiled
	sets map[string]set // the rights of each role, computed once
}

func (c *compiler) catalogue() {
	for _, r := range c.doc.Rights {
		noun, verb, ok := strings.Cut(r.Value, ":")
		if !ok || noun == "" || verb == "" || strings.Contains(r.Value, "*") {
			c.Errors.Addf(r.Place, "%q is not a right: it is written noun:verb, without *", r.Value)
		}
		c.tree.rights = append(c.tree.rights, r.Value)
	}
	slices.Sort(c.tree.rights)
	c.tree.rights = slices.Compact(c.tree.rights)
}

// grow puts the resources in order, parents first.
func (c *compiler) grow() {
	declared := slices.Clone(c.doc.Resources)
	slices.SortStableFunc(declared, func(a, b Resource) int { return strings.Compare(a.Path.Value, b.Path.Value) })
	t := c.tree
	t.at = map[string]int{"/": 0}
	if len(declared) == 0 || declared[0].Path.Value != "/" {
		t.resources = append(t.resources, resource{path: "/", parent: -1, tags: map[string]string{}})
	}
	for i, r := range declared {
		path := r.Path.Value
		if !valid(path) {
			c.Errors.Addf(r.Path.Place, "%q is not a path: it starts at / and has no empty part", path)
			continue
		}
		if i > 0 && declared[i-1].Path.Value == path {
			c.Errors.Addf(r.Path.Place, "resource %s is here twice; it is also at %s", path, declared[i-1].Path.Place)
			continue
		}
		parent := -1
		if path != "/" {
			parent = t.nearest(above(path))
		}
		tags := map[string]string{}
		if parent >= 0 && !r.Sealed {
			maps.Copy(tags, t.resources[parent].tags)
		}
		maps.Copy(tags, r.Tags)
		t.at[path] = len(t.resources)
		t.resources = append(t.resources, resource{path: path, declared: true, sealed: r.Sealed, parent: parent, tags: tags})
	}
}

// nearest finds the resource that decides for a path: itself or its nearest
// declared ancestor.
func (t *compiled) nearest(path string) int {
	for ; ; path = above(path) {
		if i, declared := t.at[path]; declared {
			return i
		}
	}
}

// above is the path over another; of the root it is the root.
func above(path string) string { return path[:max(1, strings.LastIndexByte(path, '/'))] }

// role computes the rights of a role. trail is the roles being computed.
func (c *compiler) role(role string, trail []string) set {
	if have, ok := c.sets[role]; ok {
		return have
	}
	r := c.doc.Roles[role]
	if r == nil {
		c.doc.Roles[role] = &Role{}
		r = c.doc.Roles[role]
	}
	if i := slices.Index(trail, role); i >= 0 {
		c.Errors.Addf(r.Place, "roles include each other in a circle: %s", strings.Join(append(trail[i:], role), " → "))
		return newSet(len(c.tree.rights))
	}
	line := c.Line("role "+role, r.Place)
	rights := c.patterns(r.Rights, line)
	for _, ref := range r.Includes {
		if _, ok := c.doc.Roles[ref.Name]; !ok {
			c.Missing("role", ref, name.Near(ref.Name, maps.Keys(c.doc.Roles)), line)
			continue
		}
		rights.add(c.role(ref.Name, append(trail, role)))
	}
	rights.remove(c.patterns(r.Without, line))
	c.sets[role] = rights
	return rights
}

// patterns turns patterns into the set of rights that they describe.
func (c *compiler) patterns(list []gate.Pattern, line rule.Line) set {
	rights := newSet(len(c.tree.rights))
	for _, p := range list {
		some := false
		for i, r := range c.tree.rights {
			if p.Matches(r) {
				rights.put(i)
				some = true
			}
		}
		if some {
			continue
		}
		c.UnknownRight(line, p.Place, p.Value, slices.Values(c.tree.rights))
	}
	return rights
}

func (c *compiler) common(ref name.Ref) {
	line := c.Line("everyone_has "+ref.Name, ref.Place)
	m := mapping{Rule: c.EveryoneBut(line, &gate.Who{}, nil, rule.Giving), object: "/"}
	m.rights = c.named(ref, m.Rule)
	c.tree.mappings = append(c.tree.mappings, m)
}

// named gives the rights of a role by reference; one that does not exist
// breaks the line.
func (c *compiler) named(ref name.Ref, r *rule.Rule) set {
	if _, ok := c.doc.Roles[ref.Name]; ok {
		return c.role(ref.Name, nil)
	}
	c.Missing("role", ref, name.Near(ref.Name, maps.Keys(c.doc.Roles)), r.Line)
	r.Break()
	return newSet(len(c.tree.rights))
}

func (c *compiler) mapping(i int) {
	d := &c.doc.Mappings[i]
	m := mapping{
		Rule:   c.Rule(c.Numbered("mapping", i, d.Place), &d.Who, d.When, d.Effect.Of()),
		where:  d.Where,
		object: d.Object.Value,
	}
	m.Reason = rule.ByDeny
	if !c.declared(d.Object, m.Line) {
		m.Break()
	}
	m.rights = c.named(d.Role, m.Rule)
	c.tree.mappings = append(c.tree.mappings, m)
}

func (c *compiler) limit(i int) {
	d := &c.doc.Limits[i]
	line := c.Line(d.Name, d.Place)
	l := mapping{
		object: d.Object.Value,
		rights: c.patterns(d.Rights, line),
		Rule:   c.EveryoneBut(line, &gate.Who{Except: d.Except, Off: d.Off}, d.When, rule.Taking),
	}
	l.Reason = rule.ByLimit
	c.declared(d.Object, line)
	c.tree.limits = append(c.tree.limits, l)
}

// declared reports an object that is no declared resource. The root always is
// one.
func (c *compiler) declared(p Path, line rule.Line) bool {
	if _, declared := c.tree.at[p.Value]; declared {
		return true
	}
	c.Missing("resource", name.Ref{Name: p.Value, Place: p.Place}, name.Near(p.Value, c.tree.paths), line)
	return false
}

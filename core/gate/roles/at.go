package roles

import (
	"maps"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// At finds a right on a path; without a path, on the root. A path that is not
// declared is decided by its nearest declared ancestor.
func (t *compiled) At(object, right string) (rule.Permission, error) {
	if object == "" {
		object = "/"
	}
	i, ok := slices.BinarySearch(t.rights, right)
	if !ok {
		return nil, &directory.NotFoundError{
			Kind:   "right",
			Name:   right,
			Near:   name.Near(right, slices.Values(t.rights)),
			Within: t.System,
		}
	}
	object = clean(object)
	if !valid(object) {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, t.paths), Within: t.System}
	}
	at := t.nearest(object)
	r := &t.resources[at]
	d := *r.decisions[i]
	d.Finish = func(q *rule.Question, _ rule.State, _ *rule.Rule) (x rule.Extra) {
		t.wanting(q, at, i)
		return x
	}
	e := t.Entry(object, right, &d)
	if r.path != object {
		e.DecidedAt = r.path
	}
	return e, nil
}

func (t *compiled) paths(yield func(string) bool) {
	for i := range t.resources {
		if !yield(t.resources[i].path) {
			return
		}
	}
}

// wanting notes the mappings that would be about a resource if it had their tags.
func (t *compiled) wanting(q *rule.Question, at, right int) {
	if q.Passes == nil {
		return
	}
	for i := range t.mappings {
		m := &t.mappings[i]
		if !m.rights.has(right) || !t.reaches(at, m.object) {
			continue
		}
		var lacks []rule.Lack
		for _, tag := range slices.Sorted(maps.Keys(m.where)) {
			if t.resources[at].tags[tag] != m.where[tag] {
				lacks = append(lacks, rule.LackMark.Of(tag+"="+m.where[tag]))
			}
		}
		if lacks != nil {
			q.Wanting(m.Rule, lacks)
		}
	}
}

// Catalogue lists the declared paths, the rights, and the roles with what they include.
func (t *compiled) Catalogue() gate.Catalogue {
	c := gate.Catalogue{Objects: slices.Collect(t.paths), Rights: t.rights}
	for _, role := range slices.Sorted(maps.Keys(t.roles)) {
		r := gate.Role{Role: role, Rights: []string{}}
		for i, right := range t.rights {
			if t.roles[role].has(i) {
				r.Rights = append(r.Rights, right)
			}
		}
		c.Roles = append(c.Roles, r)
	}
	return c
}

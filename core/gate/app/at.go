package app

import (
	"iter"
	"maps"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

var breadths = Breadth("").Values()

// At finds an action of a module. The module can be left out where only one
// has an action of that name.
func (t *compiled) At(object, right string) (rule.Permission, error) {
	if object != "" && !slices.Contains(t.Objects(), object) {
		return nil, &directory.NotFoundError{
			Kind:   "object",
			Name:   object,
			Near:   name.Near(object, slices.Values(t.Objects())),
			Within: t.System,
		}
	}
	var found *action
	var modules []string
	for i := range t.actions {
		if a := &t.actions[i]; a.name == right && (object == "" || a.module == object) {
			found, modules = a, append(modules, a.module)
		}
	}
	switch len(modules) {
	case 0:
		return nil, &directory.NotFoundError{
			Kind:   "right",
			Name:   right,
			Near:   name.Near(right, t.names(object)),
			Within: t.System,
		}
	case 1:
		return t.Entry(found.module, right, found.decision), nil
	}
	return nil, &rule.ObjectNeededError{System: t.System, Objects: modules}
}

// names yields the actions of a module, or of all for an empty name.
func (t *compiled) names(module string) iter.Seq[string] {
	return func(yield func(string) bool) {
		for i := range t.actions {
			if (module == "" || t.actions[i].module == module) && !yield(t.actions[i].name) {
				return
			}
		}
	}
}

// Catalogue lists modules, actions and roles. A right of a role is written
// MODULE:ACTION BREADTH.
func (t *compiled) Catalogue() gate.Catalogue {
	c := gate.Catalogue{Objects: t.Objects(), Rights: t.Rights()}
	for _, role := range slices.Sorted(maps.Keys(t.roles)) {
		r := gate.Role{Role: role, Rights: []string{}}
		for i := range t.actions {
			a := &t.actions[i]
			if breadth, ok := t.roles[role][a.module][a.name]; ok {
				r.Rights = append(r.Rights, a.module+":"+a.name+" "+string(breadth))
			}
		}
		c.Roles = append(c.Roles, r)
	}
	return c
}

// Check looks at each mapping.
func (t *compiled) Check(r *gate.Report) {
	for i, m := range t.mappings {
		all := len(t.actions) > 0
		for j := range t.actions {
			all = all && t.actions[j].widths[i] == len(breadths)-1
		}
		switch {
		case m.Nobody() || t.narrow:
			r.DirectUsers(m)
		default:
			r.Mapped(t.mappings, i, func(wide, narrow int) bool { return t.wider(r, wide, narrow) })
		}
		if all && m.Everyone && m.When.Always() && !m.Nobody() {
			r.AllToEveryone(m.Line, t.System)
		}
	}
}

// wider says whether a mapping gives the same people as much as another, where
// the widest opinion counts.
func (t *compiled) wider(r *gate.Report, wide, narrow int) bool {
	w, n := t.mappings[wide], t.mappings[narrow]
	if !w.When.Covers(&n.When) || !w.Covers(r.Book, n) {
		return false
	}
	some := false
	for i := range t.actions {
		own := max(0, t.actions[i].widths[narrow])
		if own > max(0, t.actions[i].widths[wide]) {
			return false
		}
		some = some || own > 0
	}
	return some
}

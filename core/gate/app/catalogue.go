package app

import (
	"maps"
	"slices"

	"gatemap/core/gate"
)

// Catalogue lists modules, actions and roles. A right of a role is written
// MODULE:ACTION BREADTH.
func (t *desk) Catalogue() gate.Catalogue {
	c := gate.Catalogue{Objects: slices.Compact(slices.Collect(t.modules)), Rights: slices.Sorted(t.actions(""))}
	c.Rights = slices.Compact(c.Rights)
	for _, role := range slices.Sorted(maps.Keys(t.roles)) {
		r := gate.Role{Role: role, Rights: []string{}}
		for i := range t.points {
			p := &t.points[i]
			if breadth, ok := t.roles[role][p.module][p.action]; ok {
				r.Rights = append(r.Rights, p.module+":"+p.action+" "+string(breadth))
			}
		}
		c.Roles = append(c.Roles, r)
	}
	return c
}

package roles

import (
	"maps"
	"slices"

	"gatemap/core/gate"
)

// Catalogue lists the declared paths, the rights, and the roles with what they include.
func (t *tree) Catalogue() gate.Catalogue {
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

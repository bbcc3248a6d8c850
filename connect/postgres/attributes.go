package postgres

import (
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
)

// attributes are what a role may by its own attributes.
func (b *builder) attributes() {
	for _, x := range []struct {
		verb string
		has  func(*role) bool
	}{
		{"superuser", func(r *role) bool { return r.super }},
		{"create-role", func(r *role) bool { return r.createRole }},
		{"create-database", func(r *role) bool { return r.createDB }},
		{"replicate", func(r *role) bool { return r.replicates }},
		{"bypass-row-policies", func(r *role) bool { return r.bypassesRLS }},
	} {
		b.right("database", "server:"+x.verb)
		var ids []uint32
		for id, r := range b.roles {
			if x.has(r) && !(r.super && x.verb != "superuser") {
				ids = append(ids, id)
			}
		}
		slices.SortFunc(ids, b.byName)
		b.direct("server:"+x.verb, b.accountsOf(ids))
	}
}

// direct gives accounts a right of the database itself.
func (b *builder) direct(right string, users []name.Ref) {
	if len(users) == 0 {
		return
	}
	noun, verb, _ := strings.Cut(right, ":")
	b.role(right, noun, []string{verb})
	b.document.Mappings = append(b.document.Mappings, roles.Mapping{
		Who: gate.Who{
			Users: users,
		}, Role: name.Ref{Name: right}, Object: pathOf("/"), Where: map[string]string{"kind": "database"},
	})
}

package postgres

import (
	"maps"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/place"
)

// switches are the roles that an account has to switch to (SET ROLE) before it has what these
// have: those that it is in without inheriting from them, and superusers, whose power is never
// inherited.
func (b *builder) switches() {
	all, inherited := map[uint32][]uint32{}, map[uint32][]uint32{}
	for _, e := range b.edges {
		all[e.member] = append(all[e.member], e.in)
		if e.inherits {
			inherited[e.member] = append(inherited[e.member], e.in)
		}
	}
	to := map[uint32][]uint32{}
	for id, r := range b.roles {
		if !r.login || r.super {
			continue
		}
		has := above(inherited, id)
		for in := range above(all, id) {
			if target := b.roles[in]; target != nil && in != id && (!has[in] || target.super) {
				to[in] = append(to[in], id)
			}
		}
	}
	for _, in := range slices.SortedFunc(maps.Keys(to), b.byName) {
		right := "set-role:" + strings.ReplaceAll(b.roles[in].name, "*", "%2A")
		b.right("database", right)
		slices.SortFunc(to[in], b.byName)
		b.direct(right, b.accountsOf(to[in]))
	}
}

// above are the roles that one is in, directly or by others.
func above(edges map[uint32][]uint32, id uint32) map[uint32]bool {
	found := map[uint32]bool{}
	for next := edges[id]; len(next) > 0; {
		in := next[len(next)-1]
		next = next[: len(next)-1 : len(next)-1]
		if !found[in] {
			found[in] = true
			next = append(next, edges[in]...)
		}
	}
	return found
}

// wholesale is what is given on everything at once: to superusers, and to those in predefined
// roles (PostgreSQL documentation, section 22.5).
func (b *builder) wholesale() {
	supers := gate.Who{Users: b.accountsOf(b.superusers())}
	if !supers.Empty() {
		for _, kind := range slices.Sorted(maps.Keys(verbs)) {
			of := verbs[kind]
			named := of.noun + " all"
			if kind == "column" {
				named = "column all"
			}
			b.role(named, of.noun, of.verbs)
			b.everywhere(supers, named, kind)
		}
	}
	for _, predefined := range []struct {
		role, kind string
		verbs      []string
	}{
		{"pg_read_all_data", "schema", []string{"usage"}},
		{"pg_read_all_data", "table", []string{"select"}},
		{"pg_read_all_data", "column", []string{"select"}},
		{"pg_read_all_data", "sequence", []string{"select"}},
		{"pg_write_all_data", "schema", []string{"usage"}},
		{"pg_write_all_data", "table", []string{"insert", "update", "delete"}},
		{"pg_write_all_data", "column", []string{"insert", "update"}},
		{"pg_write_all_data", "sequence", []string{"update"}},
		{"pg_maintain", "table", []string{maintain}},
	} {
		id, there := b.find(predefined.role)
		if !there || !b.members[id] {
			continue
		}
		named := predefined.role + " " + predefined.kind
		b.role(named, verbs[predefined.kind].noun, predefined.verbs)
		b.everywhere(gate.Who{Groups: []name.Ref{{Name: predefined.role}}}, named, predefined.kind)
	}
}

func (b *builder) everywhere(who gate.Who, role, kind string) {
	b.document.Mappings = append(b.document.Mappings, roles.Mapping{
		Who: who, Role: name.Ref{Name: role}, Object: pathOf("/"), Where: map[string]string{"kind": kind},
	})
}

func (b *builder) find(named string) (id uint32, there bool) {
	for id, r := range b.roles {
		if r.name == named {
			return id, true
		}
	}
	return 0, false
}

// needed are what must be had before anything else counts: to connect to the database, and to
// use the schema in which something is. Where everyone has it, nothing is said.
func (b *builder) needed() {
	holders := map[string]*gate.Who{}
	for _, g := range b.grants {
		if k := g.object.kind; k == "database" && g.privilege == "connect" || k == "schema" && g.privilege == "usage" {
			at := g.object.path
			if holders[at] == nil {
				holders[at] = &gate.Who{}
			}
			b.whom(holders[at], g.role)
		}
	}
	supers := b.accountsOf(b.superusers())
	for _, at := range slices.Sorted(maps.Keys(b.objects)) {
		o := b.objects[at]
		inside, limit := []string{"table:*", "sequence:*", "function:*"}, "use of the schema"
		switch o.kind {
		case "database":
			inside, limit = append(
				inside,
				"schema:*",
				"database:create",
				"database:temporary",
				"database:own",
				"set-role:*",
			), "connecting to the database"
		case "schema":
		default:
			continue
		}
		who := holders[at]
		if who == nil {
			who = &gate.Who{}
		}
		if who.Everyone {
			continue
		}
		except := &directory.People{Users: slices.Clone(who.Users), Groups: slices.Clone(who.Groups)}
		for _, u := range supers {
			if !slices.ContainsFunc(except.Users, func(x name.Ref) bool { return x.Name == u.Name }) {
				except.Users = append(except.Users, u)
			}
		}
		if o.kind == "schema" {
			for _, predefined := range []string{"pg_read_all_data", "pg_write_all_data"} {
				if id, there := b.find(predefined); there && b.members[id] {
					except.Groups = append(except.Groups, name.Ref{Name: predefined})
				}
			}
			limit += " " + strings.TrimPrefix(at, "/")
		}
		l := roles.Limit{Name: limit, Object: pathOf(at), Except: except}
		for _, pattern := range inside {
			if b.has(pattern) {
				l.Rights = append(l.Rights, gate.Pattern{Text: place.Text{Value: pattern}})
			}
		}
		b.document.Limits = append(b.document.Limits, l)
	}
}

// has says whether a pattern matches a right of the catalogue.
func (b *builder) has(pattern string) bool {
	p := gate.Pattern{Text: place.Text{Value: pattern}}
	return slices.ContainsFunc(b.document.Rights, func(t place.Text) bool { return p.Matches(t.Value) })
}

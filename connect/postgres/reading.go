package postgres

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"

	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// verbs are what can be held on objects of each kind, by the noun of the rights. own is what an
// owner may besides: alter it, drop it, and grant it.
var verbs = map[string]struct {
	noun  string
	verbs []string
}{
	"database": {"database", []string{"connect", "create", "temporary", "own"}},
	"schema":   {"schema", []string{"usage", "create", "own"}},
	"table":    {"table", []string{"select", "insert", "update", "delete", "truncate", "references", "trigger", "own"}},
	"column":   {"table", []string{"select", "insert", "update", "references"}},
	"sequence": {"sequence", []string{"usage", "select", "update", "own"}},
	"function": {"function", []string{"execute", "own"}},
}

// maintain is a verb of tables since version 17.
const maintain = "maintain"

// builder makes a reading of a catalog.
type builder struct {
	*catalog
	members  map[uint32]bool   // roles that others inherit from
	personal map[uint32]uint32 // roles of ours that stand for one account, with that
	document *roles.Document
	rights   map[string][]string // by kind
	made     map[string]bool     // roles of the document
}

func (c *catalog) reading(at time.Time) *reading.Reading {
	b := &builder{
		catalog:  c,
		members:  map[uint32]bool{},
		personal: c.personal(),
		document: &roles.Document{Roles: map[string]*roles.Role{}},
		rights:   map[string][]string{},
		made:     map[string]bool{},
	}
	for _, e := range c.edges {
		b.members[e.in] = b.members[e.in] || e.inherits
	}
	r := &reading.Reading{At: at, Server: c.database, Objects: map[string]string{}, Unseen: c.unseen, Native: c}
	b.accounts(r)
	b.catalogue(r)
	b.granted()
	b.attributes()
	b.switches()
	b.wholesale()
	b.needed()
	slices.SortFunc(b.document.Rights, func(x, y place.Text) int { return strings.Compare(x.Value, y.Value) })
	r.Document, r.Rights = b.document, b.rights
	for _, x := range c.beyond {
		r.Beyond = append(r.Beyond, reading.Beyond{What: x.what, Text: x.text})
	}
	return r
}

// isGroup says whether a role is a group: nobody signs in with it, or others have what it has.
func (b *builder) isGroup(id uint32) bool { return !b.roles[id].login || b.members[id] }

// accounts are the roles that sign in; groups all others, and those that others inherit from.
func (b *builder) accounts(r *reading.Reading) {
	for _, id := range slices.SortedFunc(maps.Keys(b.roles),
		func(x, y uint32) int { return strings.Compare(b.roles[x].name, b.roles[y].name) }) {
		role := b.roles[id]
		if role.login {
			a := reading.Account{Name: role.name, Active: role.limit != 0}
			switch {
			case role.limit == 0:
				a.Note = "it is allowed no connections"
			case role.until != nil && role.until.Before(r.At):
				a.Note = "its password ended " + role.until.UTC().Format(time.DateOnly)
			}
			r.Accounts = append(r.Accounts, a)
		}
		if _, one := b.personal[id]; one || !b.isGroup(id) || predefined(role) && !b.used(id) {
			continue
		}
		g := reading.Group{Name: role.name}
		if role.login {
			g.Accounts = append(g.Accounts, role.name)
		}
		for _, e := range b.edges {
			switch {
			case e.in != id || !e.inherits || b.roles[e.member] == nil:
			case b.isGroup(e.member):
				g.Groups = append(g.Groups, b.roles[e.member].name)
			default:
				g.Accounts = append(g.Accounts, b.roles[e.member].name)
			}
		}
		slices.Sort(g.Accounts)
		slices.Sort(g.Groups)
		r.Groups = append(r.Groups, g)
	}
}

func predefined(r *role) bool { return strings.HasPrefix(r.name, "pg_") }

// used says whether a predefined role is in use: other roles than such inherit from it.
func (b *builder) used(id uint32) bool {
	return slices.ContainsFunc(b.edges, func(e edge) bool {
		member := b.roles[e.member]
		return e.in == id && e.inherits && member != nil && (!predefined(member) || b.used(e.member))
	})
}

// catalogue declares the objects, and the rights that there are on each kind of them.
func (b *builder) catalogue(r *reading.Reading) {
	for _, kind := range slices.Sorted(maps.Keys(verbs)) {
		of := verbs[kind]
		for _, verb := range of.verbs {
			b.right(kind, of.noun+":"+verb)
		}
	}
	if b.version >= 170000 {
		b.right("table", "table:"+maintain)
	}
	for _, at := range slices.Sorted(maps.Keys(b.objects)) {
		o := b.objects[at]
		r.Objects[at] = o.kind
		b.document.Resources = append(
			b.document.Resources,
			roles.Resource{Path: pathOf(at), Tags: map[string]string{"kind": o.kind}},
		)
	}
}

func pathOf(at string) (p roles.Path) {
	p.Value = at
	return p
}

func (b *builder) right(kind, right string) {
	b.rights[kind] = append(b.rights[kind], right)
	if !slices.ContainsFunc(b.document.Rights, func(t place.Text) bool { return t.Value == right }) {
		b.document.Rights = append(b.document.Rights, place.Text{Value: right})
	}
}

// whom adds a role to those whom a line is for.
func (b *builder) whom(w *gate.Who, id uint32) {
	if account, one := b.personal[id]; one {
		id = account
	}
	switch role := b.roles[id]; {
	case id == publicRole:
		w.Everyone = true
	case role == nil: // it went, and its privileges stayed
	case b.isGroup(id):
		w.Groups = append(w.Groups, name.Ref{Name: role.name})
	default:
		w.Users = append(w.Users, name.Ref{Name: role.name})
	}
}

// granted makes a mapping for those who have the same on one object.
func (b *builder) granted() {
	grants := map[*object][]int32{} // by their places
	for i := range b.grants {
		o := b.grants[i].object
		grants[o] = append(grants[o], int32(i))
	}
	by := map[uint32][]string{} // what roles have on one object
	add := func(id uint32, verb string) {
		if !slices.Contains(by[id], verb) {
			by[id] = append(by[id], verb)
		}
	}
	for _, at := range slices.Sorted(maps.Keys(b.objects)) {
		o := b.objects[at]
		clear(by)
		for _, i := range grants[o] {
			add(b.grants[i].role, b.grants[i].privilege)
		}
		if o.kind != "column" {
			add(o.owner, "own")
		}
		alike := map[string][]uint32{}
		for id, list := range by {
			slices.Sort(list)
			set := strings.Join(list, "+")
			alike[set] = append(alike[set], id)
		}
		for _, set := range slices.Sorted(maps.Keys(alike)) {
			b.give(o.kind, set, at, alike[set]...)
		}
	}
}

// give gives some roles rights on an object of a kind, by its verbs with + between them. What is
// granted on a database or a schema does not come down to what is in it.
func (b *builder) give(kind, set, at string, ids ...uint32) {
	noun := verbs[kind].noun
	m := roles.Mapping{Role: name.Ref{Name: noun + ":" + set}, Object: pathOf(at)}
	if kind == "database" || kind == "schema" {
		m.Where = map[string]string{"kind": kind}
	}
	slices.SortFunc(ids, b.byName)
	for _, id := range ids {
		b.whom(&m.Who, id)
	}
	if m.Empty() {
		return
	}
	m.Groups, m.Users = slices.Clone(m.Groups), slices.Clone(m.Users) // without the room that they grew into
	b.role(m.Role.Name, noun, strings.Split(set, "+"))
	if m.Everyone { // the others have it anyway, and as a group of their own it would not show
		others := m
		others.Who.Everyone = false
		if !others.Who.Empty() {
			b.document.Mappings = append(b.document.Mappings, others)
		}
		m.Groups, m.Users = nil, nil
	}
	b.document.Mappings = append(b.document.Mappings, m)
}

func (b *builder) byName(x, y uint32) int {
	named := func(id uint32) string {
		if r := b.roles[id]; r != nil {
			return r.name
		}
		return ""
	}
	return cmp.Or(strings.Compare(named(x), named(y)), cmp.Compare(x, y))
}

func (b *builder) role(named, noun string, list []string) {
	if b.made[named] {
		return
	}
	b.made[named] = true
	r := &roles.Role{}
	for _, verb := range list {
		r.Rights = append(r.Rights, gate.Pattern{Text: place.Text{Value: noun + ":" + verb}})
	}
	b.document.Roles[named] = r
}

// superusers are roles that may do everything. That is not inherited.
func (b *builder) superusers() (ids []uint32) {
	for id, r := range b.roles {
		if r.super {
			ids = append(ids, id)
		}
	}
	slices.SortFunc(ids, b.byName)
	return ids
}

// accountsOf are those of some roles that sign in, themselves.
func (b *builder) accountsOf(ids []uint32) (refs []name.Ref) {
	for _, id := range ids {
		if r := b.roles[id]; r.login {
			refs = append(refs, name.Ref{Name: r.name})
		}
	}
	return refs
}

package postgres

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/core/delivery"
)

// group brings one role of ours to what it is to hold.
func (p *planning) group(named string) {
	want, there := p.groups[named], p.by[named]
	if want == nil {
		want = &group{of: "no group of the map"}
	}
	if there == nil {
		if !want.used || len(want.grants) == 0 {
			return
		}
		is := forGroup
		if want.one {
			is = forOne
		}
		p.out.prepares("CREATE ROLE "+quoted(named)+" NOLOGIN", "it holds what "+want.of+" is given")
		p.out.prepares(
			"COMMENT ON ROLE "+quoted(named)+" IS "+literal(there.marked(p.mark, is)),
			"it is delivered by this map",
		)
		there = &role{}
	} else {
		p.taken(there, want)
	}
	p.membersOf(named, there, want)
	p.grantsOf(named, there, want)
}

// taken takes over a role that is there: it is marked as ours, nobody signs in with it, and it has
// nothing of its own that would be its members' by SET ROLE.
func (p *planning) taken(there *role, want *group) {
	is := forGroup
	if want.one {
		is = forOne
	}
	if by, was := there.mark(); want.used && (by.Map == "" || was != is) {
		p.out.prepares(
			"COMMENT ON ROLE "+quoted(there.name)+" IS "+literal(there.marked(p.mark, is)),
			"the role is taken over for "+want.of,
		)
	}
	var off []string
	for _, x := range []struct {
		has  bool
		word string
	}{{there.login, "NOLOGIN"}, {there.createDB, "NOCREATEDB"}, {there.createRole, "NOCREATEROLE"},
		{there.replicates, "NOREPLICATION"}, {there.bypassesRLS, "NOBYPASSRLS"}} {
		if x.has {
			off = append(off, x.word)
		}
	}
	if off != nil {
		p.out.takes(
			"ALTER ROLE "+quoted(there.name)+" "+strings.Join(off, " "),
			"a group of ours gives its members nothing by what it is itself",
		)
		p.plan.Taken += len(off)
	}
	for _, e := range p.above[there.id] {
		if in := p.roles[e.in]; in != nil && in.name != "pg_database_owner" {
			p.out.takes("REVOKE "+quoted(in.name)+" FROM "+quoted(there.name), "by the map "+want.of+" has nothing of "+in.name)
			p.plan.Held, p.plan.Taken = p.plan.Held+1, p.plan.Taken+1
		}
	}
}

// membersOf brings the members of a role to those who are wanted.
func (p *planning) membersOf(named string, there *role, want *group) {
	is := map[string]edge{}
	for _, e := range p.below[there.id] {
		if m := p.roles[e.member]; there.id != 0 && m != nil {
			is[m.name] = e
		}
	}
	p.plan.Held += len(is)
	var out, admins, in []string
	for _, m := range slices.Sorted(maps.Keys(is)) {
		switch e := is[m]; {
		case p.w.Aside(m) || p.w.AsideGroup(m):
		case !want.accounts[m]:
			out = append(out, m)
		case e.admin:
			admins = append(admins, m)
		}
	}
	p.plan.Taken += len(out)
	for _, m := range slices.Sorted(maps.Keys(want.accounts)) {
		if e, member := is[m]; want.used && (!member || p.version >= 160000 && !e.inherits) {
			in = append(in, m)
		}
	}
	p.out.each(out, func(list string) {
		p.out.takes("REVOKE "+quoted(named)+" FROM "+list, "by the map nobody of them has what "+want.of+" is given")
	})
	p.out.each(admins, func(list string) {
		p.out.takes(
			"REVOKE ADMIN OPTION FOR "+quoted(named)+" FROM "+list,
			"who is in a group of ours is said by the map alone",
		)
	})
	with := ""
	if p.version >= 160000 {
		with = " WITH INHERIT TRUE"
	}
	p.out.each(in, func(list string) {
		p.out.gives("GRANT "+quoted(named)+" TO "+list+with, "they are in "+want.of+" by the map")
	})
}

// grantsOf brings what a role is granted to what is wanted.
func (p *planning) grantsOf(named string, there *role, want *group) {
	is, options := map[privilege]bool{}, map[privilege]bool{}
	for _, g := range p.held[there.id] {
		if there.id == 0 || g.object.sql == "" {
			continue
		}
		x := privilege{g.object, g.privilege}
		if g.object.owner == there.id {
			if !is[x] {
				p.plan.Stays = append(
					p.plan.Stays,
					fmt.Sprintf("the role %s owns %s, which no statement here takes away", named, g.object.path),
				)
			}
			is[x] = true
			continue
		}
		is[x], options[x] = true, options[x] || g.option
	}
	p.plan.Held += len(is)
	var out, more, in []privilege
	for x := range is {
		if _, wanted := want.grants[x]; !wanted && x.object.owner != there.id {
			out = append(out, x)
		} else if options[x] {
			more = append(more, x)
		}
	}
	p.plan.Taken += len(out)
	for x := range want.grants {
		table := privilege{p.table(x.object), x.verb}
		_, whole := want.grants[table]
		if whole { // a grant on the table is one on all of its columns
			continue
		}
		if !is[x] || slices.Contains(out, table) { // what is revoked on the table goes from its columns, too
			in = append(in, x)
		}
	}
	batches(out, func(verbs, on string, list []privilege) {
		p.out.takes("REVOKE "+verbs+" ON "+on+" FROM "+quoted(named), "no line of the map gives it to "+want.of)
	})
	batches(more, func(verbs, on string, list []privilege) {
		p.out.takes(
			"REVOKE GRANT OPTION FOR "+verbs+" ON "+on+" FROM "+quoted(named),
			"what a group of ours has is not passed on",
		)
	})
	batches(in, func(verbs, on string, list []privilege) {
		p.out.gives("GRANT "+verbs+" ON "+on+" TO "+quoted(named), linesOf(want, list)+", for "+want.of)
	})
}

// table is the table of a column; nil: it is none.
func (c *catalog) table(o *object) *object {
	if o.column == "" {
		return nil
	}
	return c.objects[o.path[:strings.LastIndexByte(o.path, '/')]]
}

// linesOf are the lines by which some things are given.
func linesOf(want *group, list []privilege) string {
	var lines []string
	for _, x := range list {
		if l := want.grants[x]; !slices.Contains(lines, l) {
			lines = append(lines, l)
		}
	}
	slices.Sort(lines)
	return strings.Join(lines, ", ")
}

// accounts makes logins, lets them in again, and switches off those of people who are switched off.
func (p *planning) accounts() {
	for _, a := range p.w.Accounts {
		r := p.by[a.Name]
		switch {
		case p.refuse[a.Name]:
		case !a.On && r != nil && r.login:
			p.out.takes("ALTER ROLE "+quoted(a.Name)+" NOLOGIN", a.User+" is switched off or has ended")
			p.plan.Taken++
			p.own(r)
		case a.On && r == nil:
			p.out.opens("CREATE ROLE "+quoted(a.Name)+" LOGIN", a.User+" gets a login, without a password of its own")
			p.own(&role{name: a.Name})
		case a.On:
			p.wakes(a, r)
		}
		if r != nil && r.login {
			p.plan.Held++
		}
	}
}

// wakes lets a login that is there be used.
func (p *planning) wakes(a delivery.Account, r *role) {
	var words []string
	if !r.login {
		words = append(words, "LOGIN")
	}
	if r.limit == 0 {
		words = append(words, "CONNECTION LIMIT -1")
	}
	if r.until != nil && r.until.Before(p.at) {
		words = append(words, "VALID UNTIL 'infinity'")
	}
	if !r.inherits {
		words = append(words, "INHERIT")
	}
	if words != nil {
		p.out.opens(
			"ALTER ROLE "+quoted(a.Name)+" "+strings.Join(words, " "),
			a.User+" can sign in, and has what its groups have",
		)
	}
}

// own marks an account as ours.
func (p *planning) own(r *role) {
	if by, is := r.mark(); by.Map != p.mark.Map || is != forAccount {
		p.out.marks(
			"COMMENT ON ROLE "+quoted(r.name)+" IS "+literal(r.marked(p.mark, forAccount)),
			"the account is ours to switch on and off",
		)
	}
}

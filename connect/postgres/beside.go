package postgres

import (
	"fmt"
	"maps"
	"slices"
)

// beside is what people hold that is not under our names: it stays, unless strangers are asked to
// go as well.
func (p *planning) beside() {
	for _, account := range slices.Sorted(maps.Keys(p.w.Known)) {
		if r := p.by[account]; r != nil {
			p.foreign(r)
		}
	}
	for _, account := range p.w.Unknown {
		if !p.w.Strangers {
			p.stays("%s belongs to nobody of the map, and can sign in", account)
			continue
		}
		p.out.takes("ALTER ROLE "+quoted(account)+" NOLOGIN", "it belongs to nobody of the map")
		p.plan.Held, p.plan.Taken = p.plan.Held+1, p.plan.Taken+1
	}
	p.everyone()
	p.unreachable()
}

func (p *planning) stays(format string, args ...any) {
	p.plan.Stays = append(p.plan.Stays, fmt.Sprintf(format, args...))
}

// foreign is what an account of ours has that does not come by a role of ours.
func (p *planning) foreign(r *role) {
	if r.super {
		p.stays("%s is a superuser", r.name)
	}
	for _, e := range p.above[r.id] {
		in := p.roles[e.in]
		if in == nil || in.name == "pg_database_owner" {
			continue
		}
		if _, ours := slices.BinarySearch(p.ours, in.name); ours {
			continue
		}
		if !p.w.Strangers || p.w.AsideGroup(in.name) {
			p.stays("%s is in %s, which is not ours", r.name, in.name)
			continue
		}
		p.out.takes("REVOKE "+quoted(in.name)+" FROM "+quoted(r.name), "by the map "+r.name+" has nothing of "+in.name)
		p.plan.Held, p.plan.Taken = p.plan.Held+1, p.plan.Taken+1
	}
	var list []privilege
	for _, g := range p.held[r.id] {
		switch {
		case g.object.owner == r.id:
			p.stays("%s owns %s", r.name, g.object.path)
		case !p.w.Strangers || g.object.sql == "":
			p.stays("%s itself has %s on %s", r.name, g.privilege, g.object.path)
		default:
			list = append(list, privilege{g.object, g.privilege})
		}
	}
	p.plan.Held, p.plan.Taken = p.plan.Held+len(list), p.plan.Taken+len(list)
	batches(list, func(verbs, on string, _ []privilege) {
		p.out.takes("REVOKE "+verbs+" ON "+on+" FROM "+quoted(r.name), "no line of the map gives it to "+r.name)
	})
}

// everyone is what PUBLIC has, which every login has with it.
func (p *planning) everyone() {
	first, count := map[[2]string]string{}, map[[2]string]int{}
	for _, g := range p.held[publicRole] {
		k := [2]string{g.object.kind, g.privilege}
		if count[k]++; first[k] == "" || g.object.path < first[k] {
			first[k] = g.object.path
		}
	}
	for k, n := range count {
		more := ""
		if n > 1 {
			more = fmt.Sprintf(" and %d more of its kind (%s)", n-1, k[0])
		}
		p.stays("everyone has %s on %s%s", k[1], first[k], more)
	}
}

// unreachable says which schemas cannot be used by groups that are granted something in them.
func (p *planning) unreachable() {
	public := map[string]bool{}
	for _, g := range p.held[publicRole] {
		if g.object.kind == "schema" && g.privilege == "usage" {
			public[g.object.schema] = true
		}
	}
	for named, g := range p.groups {
		uses := map[string]bool{}
		for x := range g.grants {
			if x.object.kind == "schema" && x.verb == "usage" {
				uses[x.object.schema] = true
			}
		}
		told := map[string]bool{}
		for x := range g.grants {
			if s := x.object.schema; s != "" && x.object.kind != "schema" && !public[s] && !uses[s] && !told[s] {
				told[s] = true
				p.stays("%s is granted something in the schema %s and not its use, without which it counts for nothing", named, s)
			}
		}
	}
}

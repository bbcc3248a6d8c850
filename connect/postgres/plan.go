package postgres

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/core/reading"
)

// refusal is what keeps a delivery from being made.
type refusal struct{ text string }

func (r *refusal) Error() string { return r.text }

// longest is how many bytes a name has at most (PostgreSQL documentation, section 4.1.1, NAMEDATALEN).
const longest = 63

// planning compares a catalog with what is wanted.
type planning struct {
	*catalog
	w      *delivery.Wanted
	mark   connect.Mark
	plan   delivery.Plan
	by     map[string]*role // by name
	groups map[string]*group
	refuse map[string]bool      // accounts and groups that are not delivered
	ours   []string             // the roles to look at, by name
	held   map[uint32][]granted // by role
	above  map[uint32][]edge    // by member
	below  map[uint32][]edge    // by the role that they are in
	at     time.Time
	out    statements
}

// group is a role that is to hold something for its members.
type group struct {
	of       string // what it is for, as it is told
	one      bool   // it stands for one account
	used     bool   // it is granted something
	accounts map[string]bool
	grants   map[privilege]string // with the line
}

type privilege struct {
	object *object
	verb   string // in small letters
}

// Plan says what is granted and revoked, who comes into groups and goes, and which logins are
// made, so that the database holds what is wanted. Groups are roles that nobody signs in with; what
// is given to one account goes through a role of its own, so that what others granted the account is
// never touched.
func (d *Document) Plan(r *reading.Reading, w *delivery.Wanted, mark connect.Mark) (*delivery.Plan, error) {
	p := &planning{
		catalog: r.Native.(*catalog),
		w:       w,
		mark:    mark,
		at:      r.At,
		by:      map[string]*role{},
		groups:  map[string]*group{},
		refuse:  map[string]bool{},
	}
	for _, r := range p.roles {
		p.by[r.name] = r
	}
	p.held, p.above, p.below = map[uint32][]granted{}, map[uint32][]edge{}, map[uint32][]edge{}
	for _, g := range p.grants {
		p.held[g.role] = append(p.held[g.role], g)
	}
	for _, e := range p.edges {
		p.above[e.member], p.below[e.in] = append(p.above[e.member], e), append(p.below[e.in], e)
	}
	p.names()
	p.wanted()
	if err := p.others(); err != nil {
		return nil, err
	}
	p.ours = p.ourGroups()
	for _, named := range p.ours {
		p.group(named)
	}
	p.accounts()
	p.beside()
	p.plan.Statements = p.out.ordered()
	slices.Sort(p.plan.Stays)
	p.plan.Stays = slices.Compact(p.plan.Stays) // what somebody owns shows by every privilege
	return &p.plan, nil
}

// names takes out what the server does not take, or has for itself.
func (p *planning) names() {
	fault := func(record, named string, why delivery.NameFault) {
		p.refuse[named] = true
		p.plan.Problems = append(p.plan.Problems, delivery.Problem{Record: record, Name: named, Why: why})
	}
	check := func(record, named string) {
		r := p.by[named]
		switch {
		case len(named) > longest || strings.ContainsRune(named, 0) || named == "public" || named == "none" ||
			strings.HasPrefix(named, "pg_"):
			fault(record, named, delivery.Refused)
		case named == p.me || named == "postgres" || r != nil && (r.super || r.id == p.owner):
			fault(record, named, delivery.NotOurs)
		}
	}
	accounts := map[string]string{}
	for _, a := range p.w.Accounts {
		check(a.User, a.Name)
		accounts[a.Name] = a.User
		if r := p.by[a.Name]; a.On && !p.refuse[a.Name] && r != nil && !r.login {
			if by, is := r.mark(); by.Map != p.mark.Map || is != forAccount {
				fault(a.User, a.Name, delivery.OfOthers) // a role that nobody signs in with
			}
		}
	}
	for _, g := range p.w.Groups {
		check(g.Of, g.Name)
		if r := p.by[g.Name]; r != nil && r.login && !p.refuse[g.Name] && !p.w.Ours(g.Name) {
			fault(g.Of, g.Name, delivery.OfOthers) // somebody signs in with it
		}
		if user, both := accounts[g.Name]; both {
			fault(g.Of, g.Name, delivery.TwoRecords)
			fault(user, g.Name, delivery.TwoRecords)
		}
	}
}

// wanted puts together what each role of ours is to hold.
func (p *planning) wanted() {
	for _, g := range p.w.Groups {
		if p.refuse[g.Name] {
			continue
		}
		x := &group{of: g.Of, used: g.Used, accounts: map[string]bool{}, grants: map[privilege]string{}}
		for _, a := range g.Accounts {
			if !p.refuse[a] {
				x.accounts[a] = true
			}
		}
		p.groups[g.Name] = x
	}
	var left delivery.LeftOut
	for i := range p.w.Grants {
		g := &p.w.Grants[i]
		held, can := p.privilege(g)
		into := p.into(g)
		switch {
		case p.refuse[g.Whom()]:
		case !can || into == nil:
			left.Ungiven(g)
		default:
			into.grants[held] = g.Line
		}
	}
	p.plan.Left = left.List()
}

// into is the role that a grant goes to; nil where names of groups leave no room for one of an
// account.
func (p *planning) into(g *delivery.Grant) *group {
	if g.Group != "" {
		return p.groups[g.Group]
	}
	named := p.w.GroupFor(g.Account)
	if x := p.groups[named]; x != nil {
		if x.one {
			return x
		}
		return nil
	}
	if !p.w.Ours(named) || len(named) > longest || p.refuse[g.Account] {
		return nil
	}
	x := &group{
		of:       g.Account,
		one:      true,
		used:     true,
		accounts: map[string]bool{g.Account: true},
		grants:   map[privilege]string{},
	}
	p.groups[named] = x
	return x
}

// privilege is what a grant gives, in the words of the server; ownership and what is of a role
// itself no statement here gives.
func (p *planning) privilege(g *delivery.Grant) (privilege, bool) {
	o := p.objects[g.Object]
	noun, verb, _ := strings.Cut(g.Right, ":")
	if o == nil || o.sql == "" || verb == "own" || noun == "server" || noun == "set-role" || verbs[o.kind].noun != noun {
		return privilege{}, false
	}
	return privilege{o, verb}, true
}

// others says that another map delivers a role of ours.
func (p *planning) others() error {
	for named := range p.groups {
		if r := p.by[named]; r != nil {
			if by, _ := r.mark(); by.Map != "" && by.Map != p.mark.Map {
				return &refusal{
					fmt.Sprintf(
						"the role %s is delivered by another map (%s), as its comment says: one system has one map that delivers to it",
						named,
						by.Map,
					),
				}
			}
		}
	}
	return nil
}

// ourGroups are the roles to look at, by name: those that are wanted, and those there that are
// called as only ours are, or marked as ours.
func (p *planning) ourGroups() (names []string) {
	for named := range p.groups {
		names = append(names, named)
	}
	for _, r := range p.roles {
		by, is := r.mark()
		ours := is != forAccount && (by == p.mark || by.Map == "" && p.w.Ours(r.name))
		if ours && p.groups[r.name] == nil && p.account(r.name) == nil && !p.refuse[r.name] && !r.super && !predefined(r) {
			names = append(names, r.name)
		}
	}
	slices.Sort(names)
	return names
}

// account is the account that is spoken of by a name; nil: none.
func (p *planning) account(named string) *delivery.Account {
	i, found := slices.BinarySearchFunc(
		p.w.Accounts,
		named,
		func(a delivery.Account, n string) int { return strings.Compare(a.Name, n) },
	)
	if !found {
		return nil
	}
	return &p.w.Accounts[i]
}

package federation

import (
	"errors"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

const signIn = "sign-in"

// point is signing in to a party, or one value of a claim.
type point struct {
	bureau *bureau
	party  *party
	claim  string // empty: signing in
	value  string
	name   string // of the right
}

func (b *bureau) point(p *party, claim, value string) *point {
	right := signIn
	if claim != "" {
		right = claimRight(claim, value)
	}
	return &point{b, p, claim, value, right}
}

func (p *point) Object() string { return p.party.name }

func (p *point) is(value string) bool { return value == p.value }

// Lines are the statements, and the rules for the claims that they test and for
// that of the point.
func (p *point) Lines() gate.Held {
	var lines gate.Held
	of := func(claim string) {
		for i := range p.party.claims {
			if c := &p.party.claims[i]; c.doc.Claim == claim {
				lines.Add(c.crowd)
			}
		}
	}
	of(p.claim)
	p.party.eachTest(func(t *Test) { of(t.Claim) })
	for i := range p.party.admit {
		if t := &p.party.admit[i]; t.who {
			lines.Add(t.crowd)
		}
	}
	return lines
}

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	if q.Brief {
		return gate.Entitlement{System: p.bureau.system, Object: p.party.name, Right: p.name, State: p.state(q)}
	}
	return p.decide(q)
}

// state is the state alone.
func (p *point) state(q *gate.Question) gate.State {
	if p.claim == "" {
		return p.party.admitted(q)
	}
	if !p.party.carries(q, p.claim, p.is) {
		return gate.None
	}
	return max(gate.Shut, p.party.admitted(q))
}

func (p *point) decide(q *gate.Question) gate.Entitlement {
	all := p.party.carried(q, p.bureau.given(q.Subject, nil), nil)
	verdict, by := p.party.admission(q)
	if p.claim == "" {
		return p.bureau.admit(p.party, q, all, verdict, by)
	}
	for from := range all {
		if all[from].claim == p.claim && all[from].value == p.value {
			return p.bureau.claim(p.party, q, all[from:], verdict)
		}
	}
	return gate.Entitlement{System: p.bureau.system, Object: p.party.name, Right: p.name}
}

// claim is the entitlement to the value of a claim with which a list begins, by the
// rules that add it.
func (b *bureau) claim(p *party, q *gate.Question, list []carried, admission gate.Verdict) gate.Entitlement {
	e := gate.Entitlement{System: b.system, Object: p.name, Right: list[0].right}
	for i := 0; i < len(list) && list[i].same(list[0]); i++ {
		e.Come(list[i].rule.routes(q, list[i].value))
	}
	if admission.State == gate.None {
		admission = gate.ShutFor(gate.ByAdmit, b.system+"/"+p.name+" admit", "no statement lets the user in")
	}
	e.Judge(admission)
	return e
}

// routes are the ways to a value by a rule: those by the groups whose names make it, or
// those to the rule.
func (c *claim) routes(q *gate.Question, value string) (all []gate.Route) {
	if !c.doc.FromGroups || q.Brief {
		return c.crowd.Routes(q, c.line.Name)
	}
	for _, g := range q.Subject.Groups() {
		if gives, ok := c.groups.At(g); ok && gives.value == value {
			all = append(all, q.RouteBy(c.line.Name, g))
		}
	}
	return all
}

// admit is the entitlement to sign in, with all that the sign-in carries, by the permits
// that hold.
func (b *bureau) admit(p *party, q *gate.Question, all []carried, verdict gate.Verdict, by []*statement) gate.Entitlement {
	e := gate.Entitlement{System: b.system, Object: p.name, Right: signIn}
	if verdict.State == gate.None {
		return e
	}
	e.Judge(verdict)
	e.Claims = claims(all)
	for _, t := range by {
		if t.who {
			e.Come(t.crowd.Routes(q, t.line.Name))
		} else {
			e.Come(b.byClaim(p, q, all, t))
		}
	}
	if len(by) == 0 {
		e.Routes = []gate.Route{{Mapping: b.system + "/" + p.name + " default", Path: []gate.Hop{}}}
	}
	return e
}

// byClaim are the ways to a statement by the claims that fit it: from the groups, or other
// keys, from which they come.
func (b *bureau) byClaim(p *party, q *gate.Question, all []carried, t *statement) (routes []gate.Route) {
	if q.Brief {
		return nil
	}
	for _, c := range all {
		if c.claim != t.test.Claim || !t.test.fits(c.value) {
			continue
		}
		if q.Passes != nil {
			q.Note(&c.rule.line, situation.True)
		}
		for _, r := range c.rule.routes(q, c.value) {
			r.Mapping, r.By, r.Direct = t.line.Name, "claim:"+c.claim, false
			if !slices.ContainsFunc(routes, func(x gate.Route) bool { return slices.Equal(x.Path, r.Path) }) {
				routes = append(routes, r)
			}
		}
	}
	if routes == nil {
		routes = []gate.Route{{Mapping: t.line.Name, By: "claim:" + t.test.Claim, Path: []gate.Hop{}}}
	}
	return routes
}

func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	if p.claim != "" {
		for i := range p.party.claims {
			if c := &p.party.claims[i]; c.doc.Claim == p.claim {
				if lacks := c.lacks(q, p.value); lacks != nil {
					misses = append(misses, gate.Miss{Mapping: c.line.Name, Lacks: lacks})
				}
			}
		}
		return misses
	}
	for i := range p.party.admit {
		t := &p.party.admit[i]
		switch {
		case !t.permit:
		case t.who:
			if lacks := t.crowd.Lacks(q); lacks != nil {
				misses = append(misses, gate.Miss{Mapping: t.line.Name, Lacks: lacks})
			}
		default:
			misses = append(misses, gate.Miss{Mapping: t.line.Name, Lacks: []string{"claim:" + p.party.name + " " + t.test.Claim + t.test.wanted()}})
		}
	}
	return misses
}

// wanted writes what a test asks of a claim.
func (t *Test) wanted() string {
	switch {
	case t.Is != nil:
		return "=" + *t.Is
	case t.Starts != nil:
		return "=" + *t.Starts + "…"
	}
	return "=…" + *t.Ends
}

// lacks is what would make a claim rule give a value; nil if nothing would.
func (c *claim) lacks(q *gate.Question, value string) []string {
	switch {
	case c.from != "":
		return append(c.crowd.Lacks(q), "attribute:"+c.doc.From)
	case !c.doc.FromGroups && c.doc.Value == value:
		return c.crowd.Lacks(q)
	case c.doc.FromGroups:
		lacks := c.crowd.Lacks(q)
		for g, gives := range c.groups.All() {
			if gives.value == value {
				lacks = append(lacks, "group:"+q.Book.GroupName(g))
			}
		}
		return lacks
	}
	return nil
}

// Reach lists signing in to each party and the claims that go along.
func (b *bureau) Reach(q *gate.Question, add func(gate.Entitlement)) {
	gifts, all := b.given(q.Subject, nil), []carried(nil)
	for _, i := range b.byName {
		p := &b.parties[i]
		all = p.carried(q, gifts, all[:0])
		verdict, by := p.admission(q)
		for from := range all {
			if from == 0 || !all[from].same(all[from-1]) {
				add(b.claim(p, q, all[from:], verdict))
			}
		}
		if e := b.admit(p, q, all, verdict, by); e.State != gate.None {
			add(e)
		}
	}
}

// At finds signing in to a party ("sign-in"), or a claim ("claim NAME=VALUE").
// The party can be left out where there is only one.
func (b *bureau) At(object, right string) (gate.Point, error) {
	if object == "" {
		if len(b.parties) != 1 {
			return nil, &gate.ObjectNeededError{System: b.system, Objects: slices.Collect(b.PartyNames)}
		}
		object = b.parties[0].name
	}
	p := b.find(object)
	if p == nil {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, b.PartyNames), Within: b.system}
	}
	if right == signIn {
		return b.point(p, "", ""), nil
	}
	written, isClaim := strings.CutPrefix(right, "claim ")
	wanted, value, ok := strings.Cut(written, "=")
	known := slices.ContainsFunc(p.claims, func(c claim) bool { return c.doc.Claim == wanted })
	if !isClaim || !ok || !known {
		near := []string{signIn}
		for i := range p.claims {
			near = append(near, "claim "+p.claims[i].doc.Claim+"=VALUE")
		}
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: slices.Compact(near), Within: b.system}
	}
	return b.point(p, wanted, value), nil
}

// Passage asks for signing in to the party that the reference names.
func (b *bureau) Passage(_, part string, keys gate.Passage) (gate.Point, error) {
	if part == "" || len(keys) > 0 {
		return nil, errors.New("it is written SYSTEM/PARTY, and takes no other keys")
	}
	return b.At(part, signIn)
}

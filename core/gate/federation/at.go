package federation

import (
	"errors"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// point is one value of a claim of a sign-in.
type point struct {
	party        *party
	claim, value string
	right        string
	lines        rule.LineSet // the rules that add to the claim
}

func (p *point) Object() string { return p.party.name }

func (p *point) is(value string) bool { return value == p.value }

// Lines are the rules for the claim, and the statements with what these are about.
func (p *point) Lines() rule.LineSet {
	lines := p.party.decision.Lines()
	lines.Join(p.lines)
	return lines
}

// Depends is what says who has the value, and what the statements look at.
func (p *point) Depends(book *directory.Book) rule.Dependencies {
	d := p.party.decision.Depends(book)
	d.Join(p.party.depends(book, p.claim, p.is))
	return d
}

// State answers a brief question.
func (p *point) State(q *rule.Question) rule.State {
	if !p.party.carries(q, p.lines, p.is) {
		return rule.None
	}
	return p.party.door.Verdict(q).State
}

// Decide is by the rules that add the value, and by whether the sign-in is admitted.
func (p *point) Decide(q *rule.Question) rule.Entitlement {
	with := slices.DeleteFunc(p.party.carried(q, p.claim, nil), func(c carried) bool { return c.value != p.value })
	if len(with) == 0 {
		return rule.Entitlement{System: p.party.of.system, Object: p.party.name, Right: p.right}
	}
	return p.party.value(q, p.right, with, p.party.door.Verdict(q))
}

// value is the entitlement to a value that some rules add.
func (p *party) value(q *rule.Question, right string, by []carried, admission rule.Verdict) rule.Entitlement {
	e := rule.Entitlement{System: p.of.system, Object: p.name, Right: right}
	for from := 0; from < len(by); {
		to := from + 1
		for to < len(by) && by[to].rule == by[from].rule {
			to++
		}
		e.Come(by[from].rule.routes(q, by[from:to]))
		from = to
	}
	e.Judge(admission)
	return e
}

// routes are the ways to a value by a rule: those by the groups whose names make it, or
// those to the rule.
func (c *claim) routes(q *rule.Question, by []carried) []rule.Route {
	if !c.fromGroups {
		return c.Routes(q)
	}
	return q.RoutesBy(c.Name, len(by), func(i int) directory.GroupID { return by[i].by })
}

// Misses lists the rules that would add the value.
func (p *point) Misses(q *rule.Question) (misses []rule.Miss) {
	for _, c := range p.party.claims {
		if c.name == p.claim {
			if lacks := c.lacks(q, p.value); lacks != nil {
				misses = append(misses, rule.Miss{Mapping: c.Name, Lacks: lacks})
			}
		}
	}
	return misses
}

// lacks is what would make a claim rule give a value; nil if nothing would.
func (c *claim) lacks(q *rule.Question, value string) []rule.Lack {
	switch {
	case c.from != "":
		return append(c.Lacks(q), rule.LackAttribute.Of(c.doc.From))
	case !c.fromGroups && c.value == value:
		return c.Lacks(q)
	case c.fromGroups:
		lacks := c.Lacks(q)
		for g, gives := range c.groups.All() {
			if gives.value == value {
				lacks = append(lacks, rule.LackGroup.Of(q.Book.GroupName(g)))
			}
		}
		return lacks
	}
	return nil
}

// Reach lists signing in to each party and the claims that go along.
func (b *compiled) Reach(q *rule.Question, add func(rule.Entitlement)) {
	var all []carried
	for _, p := range b.byName {
		all = p.reach(q, all[:0], add)
	}
}

// reach lists signing in to a party, and the claims that go along, which are put into a list.
func (p *party) reach(q *rule.Question, to []carried, add func(rule.Entitlement)) []carried {
	all := p.carried(q, "", to)
	e := p.signIn(q, all)
	p.values(q, all, p.door.Told(q, e.Verdict()), func(e rule.Entitlement) (more bool) {
		add(e)
		return true
	})
	if e.State != rule.None {
		add(e)
	}
	return all
}

// signIn is the entitlement to sign in, with what goes along.
func (p *party) signIn(q *rule.Question, all []carried) rule.Entitlement {
	e := rule.Entitlement{System: p.of.system, Object: p.name, Right: gate.SignIn}
	p.decision.Judge(q, &e)
	if e.State != rule.None && !q.Brief {
		e.Claims = claims(all)
	}
	return e
}

// values hands on the entitlements to values that a sign-in carries, until add has enough.
func (p *party) values(
	q *rule.Question,
	all []carried,
	admission rule.Verdict,
	add func(rule.Entitlement) (more bool),
) {
	for from := 0; from < len(all); {
		to := from + 1
		for to < len(all) && all[to].same(&all[from]) {
			to++
		}
		if !add(p.value(q, all[from].written(), all[from:to], admission)) {
			return
		}
		from = to
	}
}

// By hands on the values of the claim that a rule adds to, or the sign-in that a statement is about.
func (b *compiled) By(r *rule.Rule, q *rule.Question, add func(rule.Entitlement) (more bool)) {
	for _, p := range b.parties {
		switch n := r.Number(); {
		case p.lines.Includes(n):
			p.values(q, p.carried(q, p.claims[n-p.first].name, nil), p.door.Verdict(q), add)
		case p.all.Includes(n):
			if e := p.signIn(q, p.carried(q, "", nil)); e.State != rule.None {
				add(e)
			}
		}
	}
}

// Giving is nothing in particular: a claim can be for everyone.
func (b *compiled) Giving() (lines rule.LineSet, needed bool) { return lines, false }

// Public are the parties, which may show something to everyone.
func (b *compiled) Public() []string { return slices.Collect(b.names) }

// Depends is what statements are about; attributes and names of groups that give claims are
// shown.
func (b *compiled) Depends(book *directory.Book) (d rule.Dependencies) {
	for _, p := range b.parties {
		d.Join(p.decision.Depends(book))
		for _, c := range p.claims {
			if c.from != "" {
				d.Shown = append(d.Shown, c.from)
			}
			var groups []directory.GroupID
			for g := range c.groups.All() {
				groups = append(groups, g)
			}
			d.ShownGroups = append(d.ShownGroups, groups)
		}
	}
	return d
}

// At finds signing in to a party ("sign-in"), or a claim ("claim NAME=VALUE").
// The party can be left out where there is only one.
func (b *compiled) At(object, right string) (rule.Permission, error) {
	if object == "" {
		if len(b.parties) != 1 {
			return nil, &rule.ObjectNeededError{System: b.system, Objects: slices.Collect(b.names)}
		}
		object = b.parties[0].name
	}
	p := b.find(object)
	if p == nil {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, b.names), Within: b.system}
	}
	if right == gate.SignIn {
		return &rule.Entry{System: b.system, On: object, Right: right, Decision: p.decision}, nil
	}
	written, isClaim := strings.CutPrefix(right, "claim ")
	wanted, value, ok := strings.Cut(written, "=")
	if !isClaim || !ok || p.adding(wanted).Empty() {
		near := []string{gate.SignIn}
		for _, c := range p.claims {
			near = append(near, "claim "+c.name+"=VALUE")
		}
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: slices.Compact(near), Within: b.system}
	}
	return &point{p, wanted, value, right, p.adding(wanted)}, nil
}

// InFront asks for signing in to the party that the reference names.
func (b *compiled) InFront(_, part string, keys gate.Passage) (rule.Permission, error) {
	if part == "" || len(keys) > 0 {
		return nil, errors.New("it is written SYSTEM/PARTY, and takes no other keys")
	}
	return b.At(part, gate.SignIn)
}

// Catalogue lists the relying parties; the right is signing in.
func (b *compiled) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: slices.Collect(b.names), Rights: []string{gate.SignIn}, Open: true}
}

// Given hands on nothing: the values of claims have no list.
func (b *compiled) Given(func(rule.Given)) {}

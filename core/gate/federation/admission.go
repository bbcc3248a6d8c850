package federation

import (
	"slices"
	"strings"

	"gatemap/core/filter"
	"gatemap/core/gate"
)

// carries says whether a user's sign-in carries a claim with a value that fits.
// It works nothing else out.
func (p *party) carries(q *gate.Question, claim string, fits func(string) bool) bool {
	for n := range q.Held(p.roster).Among(p.crowds) {
		c := &p.claims[n-p.first]
		if c.doc.Claim == claim && c.some(q, fits) {
			return true
		}
	}
	return false
}

// some says whether one of the values that a claim rule adds fits.
func (c *claim) some(q *gate.Question, fits func(string) bool) bool {
	switch {
	case c.doc.FromGroups:
		for gives := range c.groups.Among(q.Subject.Groups()) {
			if gives.value != "" && fits(gives.value) {
				return true
			}
		}
		return false
	case c.from != "":
		return anyFits(q.Subject.Values(c.from), fits)
	}
	return c.doc.Value != "" && fits(c.doc.Value)
}

func anyFits(values []filter.Value, fits func(string) bool) bool {
	return slices.ContainsFunc(values, func(v filter.Value) bool {
		text := plain(v)
		return text != "" && fits(text)
	})
}

// holds says whether a statement is about the user.
func (p *party) holds(t *statement, q *gate.Question) bool {
	if t.who {
		return t.crowd.Has(q)
	}
	return p.carries(q, t.test.Claim, t.test.fits)
}

// fits says whether a value of the claim is one that the test is about.
func (t *Test) fits(v string) bool {
	switch {
	case t.Is != nil:
		return v == *t.Is
	case t.Starts != nil:
		return strings.HasPrefix(v, *t.Starts)
	}
	return strings.HasSuffix(v, *t.Ends)
}

// admission: one refusal that holds refuses, else one permit admits, else the
// default. It is none where nothing would admit. by are the permits that hold.
func (p *party) admission(q *gate.Question) (v gate.Verdict, by []*statement) {
	refused := gate.Opened
	for i := range p.admit {
		t := &p.admit[i]
		switch {
		case !p.holds(t, q):
		case t.permit:
			by = append(by, t)
		default:
			refused = refused.And(q.ShutFor(gate.ByAdmit, t.line.Name, ""))
		}
	}
	if len(by) == 0 && !p.permit {
		return gate.Verdict{}, nil
	}
	return refused, by
}

// admitted is the state of admission alone.
func (p *party) admitted(q *gate.Question) gate.State {
	permitted, refused := p.permit, false
	for i := range p.admit {
		if t := &p.admit[i]; (t.permit && !permitted || !t.permit && !refused) && p.holds(t, q) {
			permitted, refused = permitted || t.permit, refused || !t.permit
		}
	}
	switch {
	case !permitted:
		return gate.None
	case refused:
		return gate.Shut
	}
	return gate.Open
}

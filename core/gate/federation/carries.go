package federation

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/rule"
)

// carries is the fact that a user's sign-in carries a claim with a value that passes a test.
type carries struct {
	party   *party
	test    *Test
	lines   rule.LineSet // the rules that add to the claim
	depends directory.Memo[rule.Dependencies]
}

// Holds says whether it does. It works nothing else out.
func (c *carries) Holds(q *rule.Question) bool {
	return c.party.carries(q, c.lines, c.test.fits)
}

// Routes are the ways by the claims that fit: from the groups, or other keys, from which they
// come.
func (c *carries) Routes(q *rule.Question, line string) (routes []rule.Route) {
	all := c.party.carried(q, c.test.Claim, make([]carried, 0, few))
	for i, x := range all {
		if !c.test.fits(x.value) {
			continue
		}
		q.Note(x.rule.Rule, x.rule.When.Holds(q.Facts))
		for _, r := range x.rule.routes(q, all[i:i+1]) {
			r.Mapping, r.By, r.Direct = line, "claim:"+c.test.Claim, false
			if !slices.ContainsFunc(routes, func(x rule.Route) bool { return slices.Equal(x.Path, r.Path) }) {
				routes = append(routes, r)
			}
		}
	}
	if routes == nil {
		routes = []rule.Route{{Mapping: line, By: "claim:" + c.test.Claim, Path: []rule.Hop{}}}
	}
	return routes
}

// few is how many values of a claim are carried at the most, as a rule.
const few = 8

// Lacks is the claim.
func (c *carries) Lacks(*rule.Question) []rule.Lack {
	return []rule.Lack{rule.LackClaim.Of(c.party.name + " " + c.test.Claim + c.test.wanted())}
}

// From are the rules that add to the claim.
func (c *carries) From() (rules []*rule.Rule, everyone bool) {
	return c.party.of.index.Some(c.lines), false
}

// Lines are these too, and Depends is what says whether a user has the claim besides.
func (c *carries) Lines() rule.LineSet { return c.lines }

func (c *carries) Depends(book *directory.Book) rule.Dependencies {
	return c.depends.Of(book, func() rule.Dependencies { return c.party.depends(book, c.test.Claim, c.test.fits) })
}

// adding are the rules that add to a claim.
func (p *party) adding(claim string) (lines rule.LineSet) {
	for _, c := range p.claims {
		if c.name == claim {
			lines.Add(c.Rule)
		}
	}
	return lines
}

// carries says whether one of some rules adds a value that fits to a user's sign-in.
func (p *party) carries(q *rule.Question, by rule.LineSet, fits func(string) bool) bool {
	for n := range q.Held(p.of.index).Among(by) {
		if p.claims[n-p.first].some(q, fits) {
			return true
		}
	}
	return false
}

// depends is what says whether a user has a claim with a value that fits, besides for whom
// the rules are.
func (p *party) depends(book *directory.Book, claim string, fits func(string) bool) (d rule.Dependencies) {
	for _, c := range p.claims {
		if c.name != claim {
			continue
		}
		for g, gives := range c.groups.All() {
			if fits(gives.value) {
				d.Groups = append(d.Groups, g)
			}
		}
		if c.from != "" {
			d.Users = append(d.Users, book.Parted(c.from, func(v []filter.Value) bool { return anyFits(v, fits) }))
		}
	}
	return d
}

// some says whether one of the values that a claim rule adds fits.
func (c *claim) some(q *rule.Question, fits func(string) bool) bool {
	switch {
	case c.fromGroups:
		for gives := range c.groups.Among(q.Subject.Groups()) {
			if gives.value != "" && fits(gives.value) {
				return true
			}
		}
		return false
	case c.from != "":
		return anyFits(q.Subject.Values(c.from), fits)
	}
	return c.value != "" && fits(c.value)
}

func anyFits(values []filter.Value, fits func(string) bool) bool {
	return slices.ContainsFunc(values, func(v filter.Value) bool {
		text := plain(v)
		return text != "" && fits(text)
	})
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

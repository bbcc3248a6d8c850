package federation

import (
	"strings"

	"gatemap/core/gate"
	"gatemap/core/rule"
)

// Check looks at the claims of each party, and at who is let in.
func (b *compiled) Check(r *gate.Report) {
	for _, p := range b.parties {
		claims := make([]*rule.Rule, len(p.claims))
		for i, c := range p.claims {
			claims[i] = c.Rule
		}
		for i := range claims {
			r.Mapped(claims, i, func(wide, narrow int) bool { return p.claims[wide].wider(r, &p.claims[narrow]) })
		}
		permits := make([]*rule.Rule, len(p.permits))
		for i, t := range p.permits {
			permits[i] = t.Rule
		}
		for i := range permits {
			r.Mapped(permits, i, func(wide, narrow int) bool { return p.permits[wide].wider(r, p.permits[narrow]) })
		}
	}
}

// wider says whether a claim rule adds the same values to the same claim for all
// for whom another does.
func (c *claim) wider(r *gate.Report, narrow *claim) bool {
	a, b := c.doc, narrow.doc
	same := a.Claim == b.Claim && c.from == narrow.from && a.FromGroups == b.FromGroups &&
		a.Matching.Value == b.Matching.Value && a.Pattern.source() == b.Pattern.source() && a.Value == b.Value
	return same && c.Covers(r.Book, narrow.Rule)
}

func (e Expression) source() string {
	if e.Regexp == nil {
		return ""
	}
	return e.String()
}

// wider says whether a statement permits all whom another permits.
func (t *statement) wider(r *gate.Report, narrow *statement) bool {
	if t.Tested != narrow.Tested {
		return false
	}
	if !t.Tested {
		return t.Covers(r.Book, narrow.Rule)
	}
	a, b := t.test, narrow.test
	return a.Claim == b.Claim && (a.Is != nil && b.Is != nil && *a.Is == *b.Is ||
		a.Starts != nil && (b.Starts != nil && strings.HasPrefix(*b.Starts, *a.Starts) ||
			b.Is != nil && strings.HasPrefix(*b.Is, *a.Starts)) ||
		a.Ends != nil && (b.Ends != nil && strings.HasSuffix(*b.Ends, *a.Ends) ||
			b.Is != nil && strings.HasSuffix(*b.Is, *a.Ends)))
}

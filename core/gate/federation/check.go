package federation

import (
	"strings"

	"gatemap/core/gate"
)

// Check looks at the claims of each party, and at who is let in.
func (b *bureau) Check(r *gate.Report) {
	for i := range b.parties {
		p := &b.parties[i]
		for j := range p.claims {
			if c := &p.claims[j]; c.limits {
				r.DirectUsers(c.crowd, c.line)
			}
			r.Redundant(j, len(p.claims), func(i int) gate.Line { return p.claims[i].line },
				func(wide, narrow int) bool { return p.claims[wide].wider(r, &p.claims[narrow]) })
		}
		for j := range p.admit {
			t := &p.admit[j]
			if !t.permit {
				continue
			}
			if t.who {
				r.DirectUsers(t.crowd, t.line)
			}
			r.Redundant(j, len(p.admit), func(i int) gate.Line { return p.admit[i].line },
				func(wide, narrow int) bool { return p.admit[wide].wider(r, &p.admit[narrow]) })
		}
	}
}

// wider says whether a claim rule adds the same values to the same claim for all
// for whom another does.
func (c *claim) wider(r *gate.Report, narrow *claim) bool {
	a, b := c.doc, narrow.doc
	same := a.Claim == b.Claim && c.from == narrow.from && a.FromGroups == b.FromGroups &&
		a.Matching.Value == b.Matching.Value && a.Pattern.source() == b.Pattern.source() && a.Value == b.Value
	return same && c.crowd.Covers(r.Book, narrow.crowd)
}

func (e Expression) source() string {
	if e.Regexp == nil {
		return ""
	}
	return e.String()
}

// wider says whether a statement permits all whom another permits.
func (t *statement) wider(r *gate.Report, narrow *statement) bool {
	if !t.permit || t.who != narrow.who {
		return false
	}
	if t.who {
		return t.crowd.Covers(r.Book, narrow.crowd)
	}
	a, b := t.test, narrow.test
	return a.Claim == b.Claim && (a.Is != nil && b.Is != nil && *a.Is == *b.Is ||
		a.Starts != nil && (b.Starts != nil && strings.HasPrefix(*b.Starts, *a.Starts) || b.Is != nil && strings.HasPrefix(*b.Is, *a.Starts)) ||
		a.Ends != nil && (b.Ends != nil && strings.HasSuffix(*b.Ends, *a.Ends) || b.Is != nil && strings.HasSuffix(*b.Is, *a.Ends)))
}

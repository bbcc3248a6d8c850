package federation

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/gate"
)

// given is a value of a claim, with the right that it is.
type given struct{ value, right string }

func claimRight(claim, value string) string { return "claim " + claim + "=" + value }

// carried is a value of a claim that a rule adds to a user's sign-in.
type carried struct {
	given
	claim string
	rule  *claim
}

func (c carried) same(other carried) bool { return c.claim == other.claim && c.value == other.value }

// gift is what a group gives by a rule.
type gift struct {
	rule *claim
	given
}

// allGifts are the gifts of all groups.
func (b *bureau) allGifts() map[directory.GroupID][]gift {
	all := map[directory.GroupID][]gift{}
	for i := range b.parties {
		for j := range b.parties[i].claims {
			c := &b.parties[i].claims[j]
			for g, gives := range c.groups.All() {
				all[g] = append(all[g], gift{c, gives})
			}
		}
	}
	return all
}

// given adds what the groups of a subject give to a list.
func (b *bureau) given(s *directory.Subject, to []gift) []gift {
	for gifts := range b.gifts.Among(s.Groups()) {
		to = append(to, gifts...)
	}
	return to
}

// carried adds what a user's sign-in carries to a list, by claim and value: a value
// stands there once for each rule that adds it.
func (p *party) carried(q *gate.Question, gifts []gift, to []carried) []carried {
	for n := range q.Held(p.roster).Among(p.crowds) {
		to = p.claims[n-p.first].carry(q, gifts, to)
	}
	slices.SortStableFunc(to, func(a, b carried) int {
		return cmp.Or(strings.Compare(a.claim, b.claim), strings.Compare(a.value, b.value))
	})
	return slices.CompactFunc(to, func(a, b carried) bool { return a.rule == b.rule && a.same(b) })
}

// carry adds what a rule adds to the sign-in of someone for whom it is.
func (c *claim) carry(q *gate.Question, gifts []gift, to []carried) []carried {
	switch {
	case c.doc.FromGroups:
		for _, g := range gifts {
			if g.rule == c && g.value != "" {
				to = append(to, carried{g.given, c.doc.Claim, c})
			}
		}
	case c.from != "":
		for _, v := range q.Subject.Values(c.from) {
			if text := plain(v); text != "" {
				to = append(to, carried{given{text, claimRight(c.doc.Claim, text)}, c.doc.Claim, c})
			}
		}
	case c.doc.Value != "":
		to = append(to, carried{given{c.doc.Value, c.right}, c.doc.Claim, c})
	}
	return to
}

// plain is the text of a value, or of its sub-attribute value.
func plain(v filter.Value) string {
	switch {
	case v.Kind != filter.Complex:
		return v.Text
	case len(v.Sub["VALUE"]) > 0:
		return v.Sub["VALUE"][0].Text
	}
	return ""
}

// claims are the values of each claim, each once and in order.
func claims(all []carried) map[string][]string {
	m := map[string][]string{}
	values := make([]string, 0, len(all))
	for from, c := range all {
		if from > 0 && c.claim == all[from-1].claim {
			continue
		}
		start := len(values)
		for i := from; i < len(all) && all[i].claim == c.claim; i++ {
			if i == from || all[i].value != all[i-1].value {
				values = append(values, all[i].value)
			}
		}
		m[c.claim] = values[start:len(values):len(values)]
	}
	return m
}

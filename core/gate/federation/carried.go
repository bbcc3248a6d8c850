package federation

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/rule"
)

// given is a value of a claim, with the right that it is.
type given struct{ value, right string }

func claimRight(claim, value string) string { return "claim " + claim + "=" + value }

// gift is what a group gives by a rule.
type gift struct {
	given
	by directory.GroupID
}

// carried is a value of a claim that a rule adds to a user's sign-in; where groups give it,
// by one of these.
type carried struct {
	given
	claim string
	rule  *claim
	by    directory.GroupID
}

// written is the right that it is.
func (c *carried) written() string {
	if c.right != "" {
		return c.right
	}
	return claimRight(c.claim, c.value)
}

func (c *carried) same(other *carried) bool { return c.claim == other.claim && c.value == other.value }

// Derive works out what the groups of a subject give, a bit for each gift.
func (b *compiled) Derive(q *rule.Question, into rule.Held) {
	for numbers := range b.byGroup.Among(q.Subject.Groups()) {
		for _, n := range numbers {
			into.Put(n)
		}
	}
}

// carried adds what a user's sign-in carries of a claim, or, without one, of all, to a list,
// by claim and value: a value stands there once for each rule that adds it, or for each group
// by which a rule adds it.
func (p *party) carried(q *rule.Question, claim string, to []carried) []carried {
	for n := range q.Held(p.of.index).Among(p.lines) {
		if c := &p.claims[n-p.first]; claim == "" || c.name == claim {
			to = c.carry(q, p.of, to)
		}
	}
	if len(to) < 2 {
		return to
	}
	slices.SortStableFunc(to, func(a, b carried) int {
		return cmp.Or(strings.Compare(a.claim, b.claim), strings.Compare(a.value, b.value))
	})
	return slices.CompactFunc(to, func(a, b carried) bool { return a.rule == b.rule && a.by == b.by && a.same(&b) })
}

// carry adds what a rule adds to the sign-in of someone for whom it is.
func (c *claim) carry(q *rule.Question, b *compiled, to []carried) []carried {
	switch {
	case c.fromGroups:
		have := q.Derived(b, len(b.gifts)/64+1)
		for n := range have.Between(c.gifts, c.giftsTo) {
			if g := b.gifts[n]; g.value != "" {
				to = append(to, carried{g.given, c.name, c, g.by})
			}
		}
	case c.from != "":
		for _, v := range q.Subject.Values(c.from) {
			if text := plain(v); text != "" {
				to = append(to, carried{given{value: text}, c.name, c, 0})
			}
		}
	case c.value != "":
		to = append(to, carried{given{c.value, c.right}, c.name, c, 0})
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

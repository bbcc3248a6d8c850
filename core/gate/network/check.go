package network

import (
	"errors"
	"slices"

	"gatemap/core/gate"
	"gatemap/core/rule"
)

var errAccess = errors.New("it takes the key access (vpn, wifi or wired), and no other")

// Check looks at each policy against those before it.
func (p *compiled) Check(r *gate.Report) {
	rules := make([]*rule.Rule, len(p.tags.rules))
	for i := range rules {
		rules[i] = p.tags.rules[i].Rule
	}
	for i := range rules {
		covers := func(wide, narrow int) bool { return rules[wide].Covers(r.Book, rules[narrow]) }
		if !p.tags.first {
			r.Mapped(rules, i, func(wide, narrow int) bool {
				return p.tags.rules[wide].id == p.tags.rules[narrow].id && covers(wide, narrow)
			})
			continue
		}
		r.DirectUsers(rules[i])
		if by := slices.IndexFunc(rules[:i], func(before *rule.Rule) bool {
			return before.Covers(r.Book, rules[i])
		}); by >= 0 {
			r.Shadowed(rules[i].Line, rules[by:by+1])
		}
	}
	for i := range p.policies {
		if c := &p.policies[i]; c.Effect == rule.Giving {
			r.DirectUsers(c.Rule)
		}
		p.order(r, i)
	}
}

// order reports a policy that can never decide because earlier ones cover it,
// and a policy for everyone that empties later ones of the other verdict.
func (p *compiled) order(r *gate.Report, i int) {
	c := &p.policies[i]
	if c.Nobody() {
		return
	}
	left := slices.Clone(c.ways)
	var by []*rule.Rule
	for j := range p.policies[:i] {
		before := &p.policies[j]
		if !before.covers(r, c) {
			continue
		}
		n := len(left)
		left = slices.DeleteFunc(left, func(w string) bool { return slices.Contains(before.ways, w) })
		if len(left) < n {
			by = append(by, before.Rule)
		}
	}
	if len(left) == 0 {
		r.Shadowed(c.Line, by)
	}
	if !c.everyone() || !c.When.Always() {
		return
	}
	var emptied []*rule.Rule
	for j := i + 1; j < len(p.policies); j++ {
		after := &p.policies[j]
		inside := !slices.ContainsFunc(after.ways, func(w string) bool { return !slices.Contains(c.ways, w) })
		if inside && after.Effect != c.Effect && !after.everyone() && !after.Broken() && !after.Off() {
			emptied = append(emptied, after.Rule)
		}
	}
	if emptied != nil {
		r.TooEarly(c.Line, emptied)
	}
}

func (c *policy) everyone() bool { return c.Everyone && !c.Excepts() && c.tags == nil }

// covers says whether a policy surely matches whenever another does.
func (c *policy) covers(r *gate.Report, o *policy) bool {
	if !c.When.Always() || !c.Covers(r.Book, o.Rule) {
		return false
	}
	if c.tags == nil {
		return true
	}
	return o.tags != nil &&
		!slices.ContainsFunc(o.tags.names, func(t string) bool { return !slices.Contains(c.tags.names, t) })
}

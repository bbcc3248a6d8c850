package network

import (
	"errors"
	"slices"

	"gatemap/core/gate"
)

var errAccess = errors.New("it takes the key access (vpn, wifi or wired), and no other")

// Check looks at each policy against those before it.
func (p *porter) Check(r *gate.Report) {
	for i := range p.tags {
		r.DirectUsers(p.tags[i].crowd, p.tags[i].line)
		p.checkTag(r, i)
	}
	for i := range p.policies {
		c := &p.policies[i]
		if !c.anyone && c.admit {
			r.DirectUsers(c.crowd, c.line)
		}
		p.order(r, i)
	}
}

// checkTag reports a tag rule that is idle: because an earlier one decides, where
// the first counts; because another gives the same tag, where all do.
func (p *porter) checkTag(r *gate.Report, index int) {
	covers := func(wide, narrow int) bool { return p.tags[wide].crowd.Covers(r.Book, p.tags[narrow].crowd) }
	if !p.first {
		r.Redundant(index, len(p.tags), func(i int) gate.Line { return p.tags[i].line },
			func(wide, narrow int) bool { return p.tags[wide].tag == p.tags[narrow].tag && covers(wide, narrow) })
		return
	}
	for i := range index {
		if covers(i, index) {
			r.Shadowed(p.tags[index].line, []gate.Line{p.tags[i].line})
			return
		}
	}
}

// order reports a policy that can never decide because earlier ones cover it,
// and a policy for everyone that empties later ones of the other verdict.
func (p *porter) order(r *gate.Report, i int) {
	c := &p.policies[i]
	if c.broken || c.crowd.Nobody() {
		return
	}
	left := slices.Clone(c.ways)
	var by []gate.Line
	for j := range p.policies[:i] {
		before := &p.policies[j]
		if !before.covers(r, c) {
			continue
		}
		n := len(left)
		left = slices.DeleteFunc(left, func(w string) bool { return slices.Contains(before.ways, w) })
		if len(left) < n {
			by = append(by, before.line)
		}
	}
	if len(left) == 0 {
		r.Shadowed(c.line, by)
	}
	if !c.everyone() || !c.when.Always() {
		return
	}
	var emptied []gate.Line
	for j := i + 1; j < len(p.policies); j++ {
		after := &p.policies[j]
		inside := !slices.ContainsFunc(after.ways, func(w string) bool { return !slices.Contains(c.ways, w) })
		if inside && after.admit != c.admit && !after.everyone() && !after.broken && !after.crowd.Off() {
			emptied = append(emptied, after.line)
		}
	}
	if emptied != nil {
		r.TooEarly(c.line, emptied)
	}
}

func (c *policy) everyone() bool {
	return c.crowd.Everyone && !c.crowd.Excepts() && c.tags == nil
}

// covers says whether a policy surely matches whenever another does.
func (c *policy) covers(r *gate.Report, o *policy) bool {
	if c.broken || !c.when.Always() || !c.crowd.Covers(r.Book, o.crowd) {
		return false
	}
	if c.tags == nil {
		return true
	}
	return o.tags != nil && !slices.ContainsFunc(o.tags, func(t string) bool { return !slices.Contains(c.tags, t) })
}

package firewall

import (
	"errors"
	"slices"

	"gatemap/core/gate"
)

var errKeys = errors.New("it takes the keys to and service, and no others")

// Check looks at each rule against those before it.
func (w *wall) Check(r *gate.Report) {
	for i := range w.rules {
		c := &w.rules[i]
		if c.permit {
			r.DirectUsers(c.crowd, c.line)
		}
		if c.crowd.Nobody() {
			continue
		}
		any := len(c.toNames)+len(c.svcNames) == 0
		if c.permit && c.crowd.Everyone && any && c.when.Always() && c.source.Always() {
			r.AllToEveryone(c.line, w.system)
		}
		var before []*rule
		for j := range w.rules[:i] {
			if b := &w.rules[j]; b.when.Always() && meet(b, c) && b.crowd.Covers(r.Book, c.crowd) {
				before = append(before, b)
			}
		}
		if by := shadow(c, before); by != nil {
			r.Shadowed(c.line, by)
		}
		w.tooEarly(r, i)
	}
}

// tooEarly reports a rule for everyone that by itself empties narrower ones of
// the other verdict below it.
func (w *wall) tooEarly(r *gate.Report, i int) {
	c := &w.rules[i]
	if !c.crowd.Everyone || c.crowd.Excepts() || !c.when.Always() {
		return
	}
	var emptied []gate.Line
	for j := i + 1; j < len(w.rules); j++ {
		after := &w.rules[j]
		if after.permit == c.permit || after.crowd.Everyone || after.crowd.Nobody() {
			continue
		}
		if meet(c, after) && shadow(after, []*rule{c}) != nil {
			emptied = append(emptied, after.line)
		}
	}
	if emptied != nil {
		r.TooEarly(c.line, emptied)
	}
}

// meet says whether two rules are about any one connection.
func meet(a, b *rule) bool {
	return shares(a.services, b.services) && overlap(a.to, b.to) && overlap(a.from, b.from)
}

// shadow says which of the rules before one, all of which it meets, together cover all of
// it, over sources, destinations and services; nil if something is left.
func shadow(c *rule, before []*rule) []gate.Line {
	if len(before) == 0 {
		return nil
	}
	used := map[*rule]bool{}
	spans := func(list []*rule, of func(*rule) []span) [][]span {
		all := make([][]span, len(list))
		for i, b := range list {
			all[i] = of(b)
		}
		return all
	}
	for _, to := range cut(c.to, spans(before, func(b *rule) []span { return b.to })) {
		here := slices.DeleteFunc(slices.Clone(before), func(b *rule) bool { return !inSpans(b.to, to.From()) })
		for _, from := range cut(c.from, spans(here, func(b *rule) []span { return b.from })) {
			there := slices.DeleteFunc(slices.Clone(here), func(b *rule) bool { return !inSpans(b.from, from.From()) })
			var others []Service
			for _, b := range there {
				others = append(others, b.services...)
			}
			for _, a := range atoms(c.services, others) {
				k := slices.IndexFunc(there, func(b *rule) bool { return b.serves(a) })
				if k < 0 {
					return nil
				}
				used[there[k]] = true
			}
		}
	}
	var lines []gate.Line
	for _, b := range before {
		if used[b] {
			lines = append(lines, b.line)
		}
	}
	return lines
}

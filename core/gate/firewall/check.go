package firewall

import (
	"errors"
	"slices"

	"gatemap/core/gate"
	"gatemap/core/rule"
)

var errKeys = errors.New("it takes the keys to and service, and no others")

// Check looks at each rule against those before it.
func (w *compiled) Check(r *gate.Report) {
	for i, c := range w.rules {
		if c.Effect == rule.Giving {
			r.DirectUsers(c.Rule)
		}
		if c.Nobody() {
			continue
		}
		any := len(c.toNames)+len(c.svcNames) == 0
		if c.Effect == rule.Giving && c.Everyone && any && c.When.Always() {
			r.AllToEveryone(c.Line, w.system)
		}
		var before []*entry
		for _, b := range w.rules[:i] {
			if b.always && meet(b, c) && b.Covers(r.Book, c.Rule) {
				before = append(before, b)
			}
		}
		if by := shadow(c, before); by != nil {
			r.Shadowed(c.Line, by)
		}
		w.tooEarly(r, i)
	}
}

// tooEarly reports a rule for everyone that by itself empties narrower ones of
// the other verdict below it.
func (w *compiled) tooEarly(r *gate.Report, i int) {
	c := w.rules[i]
	if !c.Everyone || c.Excepts() || !c.always {
		return
	}
	var emptied []*rule.Rule
	for _, after := range w.rules[i+1:] {
		if after.Effect == c.Effect || after.Everyone || after.Nobody() {
			continue
		}
		if meet(c, after) && shadow(after, []*entry{c}) != nil {
			emptied = append(emptied, after.Rule)
		}
	}
	if emptied != nil {
		r.TooEarly(c.Line, emptied)
	}
}

// meet says whether two rules are about any one connection.
func meet(a, b *entry) bool {
	return shares(a.services, b.services) && overlap(a.to, b.to) && overlap(a.from, b.from)
}

// shadow says which of the rules before one, all of which it meets, together cover all of
// it, over sources, destinations and services; nil if something is left.
func shadow(c *entry, before []*entry) []*rule.Rule {
	if len(before) == 0 {
		return nil
	}
	used := map[*entry]bool{}
	spans := func(list []*entry, of func(*entry) []span) [][]span {
		all := make([][]span, len(list))
		for i, b := range list {
			all[i] = of(b)
		}
		return all
	}
	for _, to := range cut(c.to, spans(before, func(b *entry) []span { return b.to })) {
		here := slices.DeleteFunc(slices.Clone(before), func(b *entry) bool { return !inSpans(b.to, to.From()) })
		for _, from := range cut(c.from, spans(here, func(b *entry) []span { return b.from })) {
			there := slices.DeleteFunc(slices.Clone(here), func(b *entry) bool { return !inSpans(b.from, from.From()) })
			var others []Service
			for _, b := range there {
				others = append(others, b.services...)
			}
			for _, a := range atoms(c.services, others) {
				k := slices.IndexFunc(there, func(b *entry) bool { return b.serves(a) })
				if k < 0 {
					return nil
				}
				used[there[k]] = true
			}
		}
	}
	var lines []*rule.Rule
	for _, b := range before {
		if used[b] {
			lines = append(lines, b.Rule)
		}
	}
	return lines
}

package readings

import (
	"context"
	"fmt"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/reading"
	"gatemap/service/query"
)

// unreachableAfter is how many readings in a row fail before a system counts as out of reach.
const unreachableAfter = 3

// mostFound is how many findings of each code there are of one system at most; the last says how
// many more there are.
const mostFound = 100

// Findings are what is found in the systems that are linked and were read.
func (s *Readings) Findings(ctx context.Context) (all []finding.Finding) {
	head := s.Head()
	for d := range linkedIn(head) {
		k := s.kept(d.Name)
		k.mu.Lock()
		row := k.row
		k.mu.Unlock()
		if row.Failed >= unreachableAfter {
			all = append(
				all,
				found(
					d,
					finding.Unreachable,
					fmt.Sprintf("The system %s could not be read %d times in a row: %s.", d.Name, row.Failed, row.Error),
					"See that it answers, and that the account of the link may sign in; or change the link.",
				),
			)
		}
		if row.At.IsZero() {
			continue
		}
		all = append(all, s.driftFindings(ctx, head, d)...)
	}
	finding.Sort(all)
	return all
}

func found(d *gate.System, code finding.Code, message, fix string, names ...string) finding.Finding {
	f := finding.New(code, d.Link.Place, message, fix, append([]string{d.Name}, names...)...)
	f.Where.System = d.Name
	return f
}

func (s *Readings) driftFindings(ctx context.Context, head *query.Head, d *gate.System) (all []finding.Finding) {
	drift, err := s.drifted(ctx, head, d)
	if err != nil {
		s.Log.Warn("a reading cannot be compared with the map", "system", d.Name, "error", err)
		return nil
	}
	real := drift.Of
	if info := infoOf(real, d); info.Stale {
		all = append(all, found(d, finding.StaleReading, "The "+staleWords(info)+".",
			"Read it: gatemap reading run "+d.Name+"."))
	}
	codes := map[reading.Effect]finding.Code{reading.Excess: finding.Excess, reading.Short: finding.Short}
	count := map[finding.Code]int{}
	add := func(code finding.Code, key, message, fix string, names ...string) {
		if count[code]++; count[code] < mostFound {
			f := found(d, code, message, fix, names...)
			f.Key = key
			all = append(all, f)
		}
	}
	for i := range drift.Causes {
		c := &drift.Causes[i]
		if c.Why == reading.Unknown {
			continue // it is a stranger
		}
		message := fmt.Sprintf(
			"In %s %s: %s of %s.",
			d.Name,
			answer.DriftCauseWords(c),
			counted(c.Items, "entitlement", "entitlements"),
			counted(c.Users, "person", "people"),
		)
		add(codes[c.Effect], answer.DriftCauseWords(c), message, fixOf(d, c), named(c)...)
	}
	for _, a := range real.Strangers() {
		add(finding.Stranger, a.Name, fmt.Sprintf("The account %s of %s belongs to nobody of the map.", a.Name, d.Name),
			"Remove it there; or, where it is nobody's business here, let the link ignore it.", a.Name)
	}
	for code, n := range count {
		if more := n - mostFound + 1; more > 0 {
			all = append(
				all,
				found(
					d,
					code,
					fmt.Sprintf("In %s there are %d more like these.", d.Name, more),
					"See all of them: gatemap drift "+d.Name+".",
				),
			)
		}
	}
	return all
}

// fixOf says what can be done about a cause, and by which delivery, where one does it.
func fixOf(d *gate.System, c *reading.Cause) string {
	by := ""
	if connect.LinkOf(d).Deliverer() != nil && d.Link.Deliver != gate.Never {
		switch c.Why {
		case reading.Stopped, reading.LacksHere, reading.ToEveryone, reading.Unconditional, reading.Elsewhere:
		case reading.ForeignGroup, reading.DirectGrant:
			by = " (gatemap delivery run " + d.Name + " --strangers)"
		default:
			by = " (gatemap delivery run " + d.Name + ")"
		}
	}
	if c.Effect == reading.Excess {
		return "Take it away there" + by + "; or, where it is meant, give it in the map."
	}
	return "Give it there" + by + "; or take it out of the map."
}

func counted(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

func named(c *reading.Cause) (names []string) {
	for _, n := range []string{c.User, c.Group} {
		if n != "" {
			names = append(names, n)
		}
	}
	return names
}

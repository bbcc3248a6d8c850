package cli

import (
	"context"
	"fmt"
	"strings"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/connect"
	"gatemap/core/change"
)

// showRun shows a run that rests, with its preview where that is kept.
func (a *app) showRun(ctx context.Context, c *client.Client, run *answer.Run) error {
	a.failed = run.State == answer.RunFailed || run.State == answer.RunCutOff
	a.refused = run.State == answer.RunHeld
	p, err := c.Preview(ctx, run.ID)
	if err != nil {
		p = &answer.Preview{Run: *run}
	}
	return present(a, p, a.previewText, previewTable)
}

var runStyles = map[answer.RunState]style{
	answer.RunCommitted: green, answer.RunUnchanged: green, answer.RunFailed: red, answer.RunHeld: red,
	answer.RunCutOff: red,
}

func (a *app) previewText(p *answer.Preview) error {
	r := &p.Run
	a.print("%s\n", a.paint(strong, fmt.Sprintf("Run %d of %s", r.ID, r.Directory)))
	a.print("  %s  %s\n", a.paint(runStyles[r.State], string(r.State)), runSize(r))
	if r.Error != "" {
		a.print("  %s\n", strings.ReplaceAll(r.Error, "\n", "\n  "))
	}
	if r.Held != "" {
		a.print("  %s\n", r.Held)
	}
	a.print("\n")
	list := func(heading string, n int, lines []string) {
		if n == 0 {
			return
		}
		a.print("%s  %d\n", a.paint(strong, heading), n)
		const most = 20
		for _, line := range lines[:min(len(lines), most)] {
			a.print("  %s\n", line)
		}
		if n > min(len(lines), most) {
			a.print("  and %d more (-o json)\n", n-min(len(lines), most))
		}
		a.print("\n")
	}
	list("Joined", r.Counts.Joined, p.Joined)
	list("Left", r.Counts.Left, p.Left)
	list("Changed", r.Counts.Changed, lines(p.Changed, func(c answer.RecordChange) string {
		return c.Name + "  " + fieldsText(c.Fields)
	}))
	list("Groups", r.Counts.NewGroups+r.Counts.GoneGroups+r.Counts.ChangedGroups, lines(p.Groups, groupChangeText))
	list("Devices", r.Counts.OtherDevices, lines(p.Devices, func(c answer.RecordChange) string {
		return c.Name + "  " + fieldsText(c.Fields)
	}))
	list("Rejected", r.Counts.Rejected, p.Rejected)
	list("Written anew", len(p.Renamed), p.Renamed)
	list("Match no account", r.Counts.Alone, p.Alone)
	list("Gains", r.Counts.Gains, lines(p.Gains, func(h change.Held) string {
		return fmt.Sprintf("%s  %s  %s%s", h.User, a.state(h.Entitlement.State), entitled(&h.Entitlement), other(&h))
	}))
	list("Losses", r.Counts.Losses, lines(p.Losses, func(h change.Held) string {
		return h.User + "  " + entitled(&h.Entitlement) + other(&h)
	}))
	if r.Counts.Changes > 0 {
		a.print("%s changed in another way\n\n", count(r.Counts.Changes, "entitlement", "entitlements"))
	}
	if missing := p.Missing(); missing != "" {
		a.print("%s%s.\n\n", strings.ToUpper(missing[:1]), missing[1:])
	}
	a.afterRun(r)
	return nil
}

// afterRun says what came of a run, and what can be done next.
func (a *app) afterRun(r *answer.Run) {
	switch r.State {
	case answer.RunWaiting:
		a.print("Nothing has changed yet. Commit it:  gatemap intake commit %d --version %d\n", r.ID, r.Version)
	case answer.RunHeld:
		a.print("Nothing has changed. If it is right, commit it:  gatemap intake commit %d --version %d --confirm\n", r.ID,
			r.Version)
	case answer.RunCommitted:
		a.print("In force as revision %d.\n", r.Revision)
	case answer.RunUnchanged:
		a.print("The map is up to date.\n")
	case answer.RunFailed, answer.RunCutOff:
		a.print("The map is unchanged.\n")
	}
}

func lines[T any](list []T, line func(T) string) []string {
	all := make([]string, len(list))
	for i, x := range list {
		all[i] = line(x)
	}
	return all
}

// fieldsText leaves out members: these are told one by one.
func fieldsText(fields []connect.Field) string { return connect.FieldWords(fields, "members") }

func groupChangeText(g answer.GroupChange) string {
	if g.What != "changed" {
		return g.Name + "  is " + g.What
	}
	var parts []string
	if text := fieldsText(g.Fields); text != "" {
		parts = append(parts, text)
	}
	if len(g.Added) > 0 {
		parts = append(parts, "gets "+strings.Join(g.Added, ", "))
	}
	if len(g.Removed) > 0 {
		parts = append(parts, "loses "+strings.Join(g.Removed, ", "))
	}
	return g.Name + "  " + strings.Join(parts, "; ")
}

func previewTable(p *answer.Preview) [][]string {
	rows := [][]string{{"what", "name", "attribute", "before", "after"}}
	for _, n := range p.Joined {
		rows = append(rows, []string{"joined", n, "", "", ""})
	}
	for _, n := range p.Left {
		rows = append(rows, []string{"left", n, "", "", ""})
	}
	for _, c := range p.Changed {
		for _, f := range c.Fields {
			rows = append(rows, []string{"changed", c.Name, f.Attribute, f.Before, f.After})
		}
	}
	for _, g := range p.Groups {
		if g.What != "changed" {
			rows = append(rows, []string{g.What + " group", g.Name, "", "", ""})
		}
		for _, f := range g.Fields {
			if f.Attribute != "members" {
				rows = append(rows, []string{"changed group", g.Name, f.Attribute, f.Before, f.After})
			}
		}
		for _, m := range g.Added {
			rows = append(rows, []string{"changed group", g.Name, "member", "", m})
		}
		for _, m := range g.Removed {
			rows = append(rows, []string{"changed group", g.Name, "member", m, ""})
		}
	}
	for _, c := range p.Devices {
		for _, f := range c.Fields {
			rows = append(rows, []string{"device", c.Name, f.Attribute, f.Before, f.After})
		}
	}
	for _, r := range p.Rejected {
		rows = append(rows, []string{"rejected", r, "", "", ""})
	}
	for _, n := range p.Renamed {
		rows = append(rows, []string{"written anew", n, "", "", ""})
	}
	for _, n := range p.Alone {
		rows = append(rows, []string{"matches no account", n, "", "", ""})
	}
	for _, h := range p.Gains {
		rows = append(rows, []string{"gain", h.User, entitled(&h.Entitlement), "", h.Entitlement.State.String()})
	}
	for _, h := range p.Losses {
		rows = append(rows, []string{"loss", h.User, entitled(&h.Entitlement), h.Entitlement.State.String(), ""})
	}
	return rows
}

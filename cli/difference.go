package cli

import (
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/finding"
	"gatemap/core/rule"
)

func (a *app) difference() *cobra.Command {
	cmd := also(&cobra.Command{
		Use:   "difference DIR1 DIR2",
		Short: "Who gains and loses what between two map folders",
		Long: `Computes what changes for everyone if the second map replaces the first: gains, losses
and other changes, new and fixed findings, and guarantees that break or are kept again.`,
		Example: `  gatemap difference observatory observatory-next
  gatemap difference old new --at 2026-11-23T22:00:00Z -o csv`,
		Args: cobra.ExactArgs(2),
	}, asMarkdown)
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		var maps [2]*atlas.Atlas
		for i, dir := range args {
			var err error
			if maps[i], err = a.compileFolder(cmd.Context(), dir); err != nil {
				return err
			}
		}
		s, err := facts.read(func() (*time.Location, error) { return maps[1].Frame.Zone, nil })
		if err != nil {
			return err
		}
		o, err := change.Maps(maps[0], maps[1], s)
		if err != nil {
			return err
		}
		return present(a, o, a.differenceText, differenceTable, a.differenceMarkdown)
	}
	return cmd
}

func (a *app) differenceText(o *change.Outcome) error {
	a.heldText("Gains", green, o.Gains)
	a.heldText("Losses", red, o.Losses)
	if len(o.Changes) > 0 {
		a.print("%s\n", a.paint(strong, "Changes"))
		for _, c := range o.Changes {
			a.print("  %s  %s\n    before  %s  %s\n    after   %s  %s\n", c.User, entitled(&c.After),
				a.state(c.Before.State), why(&c.Before), a.state(c.After.State), why(&c.After))
		}
		a.print("\n")
	}
	a.turned("New findings", o.Findings.New)
	a.turned("Findings gone", o.Findings.Gone)
	for _, g := range o.Guarantees.Broken {
		a.print("%s  %s\n", a.paint(red, "Guarantee broken"), g)
	}
	for _, g := range o.Guarantees.Mended {
		a.print("%s  %s\n", a.paint(green, "Guarantee kept again"), g)
	}
	a.print(
		"%s, %s, %s; %d new findings, %d gone; %d guarantees broken, %d kept again\n",
		count(
			len(o.Gains),
			"gain",
			"gains",
		),
		count(len(o.Losses), "loss", "losses"),
		count(len(o.Changes), "other change", "other changes"),
		len(o.Findings.New),
		len(o.Findings.Gone),
		len(o.Guarantees.Broken),
		len(o.Guarantees.Mended),
	)
	return nil
}

func entitled(e *rule.Entitlement) string {
	return fmt.Sprintf("%s %s on %s", e.System, e.Right, e.Object)
}

func (a *app) heldText(heading string, s style, list []change.Held) {
	if len(list) == 0 {
		return
	}
	a.print("%s\n", a.paint(s, heading))
	width := widest(list, func(h change.Held) string { return h.User })
	for _, h := range list {
		line := fmt.Sprintf(
			"  %s  %s  %s  %s",
			pad(h.User, width),
			a.state(h.Entitlement.State),
			entitled(&h.Entitlement),
			why(&h.Entitlement),
		)
		a.print("%s%s\n", strings.TrimRight(line, " "), other(&h))
	}
	a.print("\n")
}

// other says how it was before a gain, or is after a loss, where that is not none.
func other(h *change.Held) string {
	e, when := h.Other(), "was"
	if h.After.State < rule.Depends {
		when = "now"
	}
	if e == nil {
		return ""
	}
	return "  " + when + " " + stateIf(e)
}

func (a *app) turned(heading string, list []finding.Finding) {
	if len(list) == 0 {
		return
	}
	a.print("%s\n", a.paint(strong, heading))
	for _, f := range list {
		a.print("  %s %s: %s\n", a.paint(severityStyles[f.Severity], string(f.Severity)), f.Code, f.Message)
	}
	a.print("\n")
}

func differenceTable(o *change.Outcome) [][]string {
	rows := [][]string{{"what", "user", "system", "object", "right", "before", "after"}}
	for _, h := range o.Gains {
		e := h.Entitlement
		rows = append(
			rows,
			[]string{"gain", h.User, e.System, e.Object, e.Right, h.Before.State.String(), h.After.State.String()},
		)
	}
	for _, h := range o.Losses {
		e := h.Entitlement
		rows = append(
			rows,
			[]string{"loss", h.User, e.System, e.Object, e.Right, h.Before.State.String(), h.After.State.String()},
		)
	}
	for _, c := range o.Changes {
		rows = append(
			rows,
			[]string{
				"change",
				c.User,
				c.After.System,
				c.After.Object,
				c.After.Right,
				c.Before.State.String(),
				c.After.State.String(),
			},
		)
	}
	return rows
}

package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/change"
	"gatemap/core/rule"
)

func (a *app) compare() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "compare USER USER",
		Short: "Two people side by side",
		Long: `Compares what two people hold: what only one of them holds, and what both hold in
different ways.`,
		Example: `  gatemap compare ilse.okonjo rana.solberg
  gatemap compare ilse.okonjo bram.ystad --from 198.51.100.9 -o csv`,
		Args:              cobra.ExactArgs(2),
		ValidArgsFunction: a.complete(answer.KindUser, answer.KindUser),
	}
	var really bool
	reallyFlag(cmd, &really)
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := a.situation(cmd.Context(), facts)
		if err != nil {
			return err
		}
		return askHoldings(a, cmd, really, func(ctx context.Context, asker answer.Holdings) (*answer.Compare, error) {
			return asker.Compare(ctx, args[0], args[1], s)
		}, a.compareText, compareTable)
	}
	return cmd
}

func (a *app) compareText(c *answer.Compare) error {
	a.print("Situation: %s\n", given(c.Situation))
	a.reallyText(c.Really)
	a.block("Only "+c.First, c.OnlyFirst)
	a.block("Only "+c.Second, c.OnlySecond)
	if len(c.Differ) > 0 {
		a.print("\n%s\n", a.paint(strong, "Both, but not alike"))
		for _, d := range c.Differ {
			a.print(
				"  %s\n    %s  %s  %s\n    %s  %s  %s\n",
				entitled(&d.First)+unlike(&d),
				pad(
					c.First,
					len(c.Second),
				),
				a.state(d.First.State),
				why(&d.First),
				pad(c.Second, len(c.First)),
				a.state(d.Second.State),
				why(&d.Second),
			)
		}
	}
	a.print(
		"\n%d alike, %d differ, %d and %d of their own\n",
		len(c.Both),
		len(c.Differ),
		len(c.OnlyFirst),
		len(c.OnlySecond),
	)
	return nil
}

// unlike says what differs where the states and needs do not show it.
func unlike(p *change.Pair) string {
	if p.First.State == p.Second.State && why(&p.First) == why(&p.Second) {
		return "  (with other claims, or another reply)"
	}
	return ""
}

// block prints entitlements under a heading, by system.
func (a *app) block(heading string, list []rule.Entitlement) {
	if len(list) == 0 {
		return
	}
	a.print("\n%s\n", a.paint(strong, heading))
	name := func(e rule.Entitlement) string { return fmt.Sprintf("%s %s on %s", e.System, e.Right, e.Object) }
	width := widest(list, name)
	for _, e := range list {
		a.print("%s\n", strings.TrimRight(fmt.Sprintf("  %s  %s  %s", pad(name(e), width), a.state(e.State), why(&e)), " "))
	}
}

func compareTable(c *answer.Compare) [][]string {
	rows := [][]string{{"side", "system", "object", "right", "first", "second"}}
	add := func(side string, list []rule.Entitlement, first, second bool) {
		for _, e := range list {
			row := []string{side, e.System, e.Object, e.Right, rule.None.String(), rule.None.String()}
			if first {
				row[4] = e.State.String()
			}
			if second {
				row[5] = e.State.String()
			}
			rows = append(rows, row)
		}
	}
	add("only_first", c.OnlyFirst, true, false)
	add("only_second", c.OnlySecond, false, true)
	add("both", c.Both, true, true)
	for _, d := range c.Differ {
		rows = append(rows, []string{"differ", d.System, d.Object, d.Right, d.First.State.String(), d.Second.State.String()})
	}
	return rows
}

package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/rule"
	"gatemap/stage"
)

func (a *app) why() *cobra.Command {
	var object string
	var lines, really bool
	cmd := also(&cobra.Command{
		Use:   "why USER SYSTEM RIGHT",
		Short: "Why a user can do one thing, or why not",
		Long: `Explains one right of one user: by which lines and groups the user holds it, on what it
depends, what shuts it, or what the user lacks.`,
		Example: `  gatemap why ilse.okonjo archive frames:write --on /raw/2026
  gatemap why ilse.okonjo archive frames:write --on /raw/2026 --from 203.0.113.9
  gatemap why ilse.okonjo archive frames:write --on /raw/2026 --lines`,
		Args:              cobra.ExactArgs(3),
		ValidArgsFunction: a.completeArgs(a.names(answer.KindUser), a.names(answer.KindSystem), a.rights(1)),
	}, asMarkdown)
	a.onFlag(cmd, &object, 1)
	cmd.Flags().BoolVar(&lines, "lines", false, "also say for every line of the system whether it decides, and why not")
	reallyFlag(cmd, &really)
	cmd.MarkFlagsMutuallyExclusive("lines", "really")
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := a.situation(cmd.Context(), facts)
		if err != nil {
			return err
		}
		if lines {
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Probe, error) {
				return asker.Probe(ctx, args[0], args[1], args[2], object, s)
			}, a.probeText, probeTable, func(p *answer.Probe) error { return a.whyMarkdown(&p.Why) })
		}
		return askHoldings(a, cmd, really, func(ctx context.Context, asker answer.Holdings) (*answer.Why, error) {
			return asker.Why(ctx, args[0], args[1], args[2], object, s)
		}, a.whyText, whyTable, a.whyMarkdown)
	}
	return cmd
}

func (a *app) whyText(w *answer.Why) error {
	a.print("%s  %s %s on %s\n\n", a.state(w.State), w.System, w.Right, w.Object)
	a.reallyText(w.Really)
	for _, s := range w.Sentences {
		a.print("%s\n", s)
	}
	before := "\nTry it in a trial:\n"
	for _, way := range w.Ways {
		if len(way.Stage) == 0 {
			continue
		}
		a.print("%s", before)
		before = "or:\n"
		for _, c := range way.Stage {
			a.print("  %s\n", stageCommand(c))
		}
	}
	return nil
}

// stageCommand is the command that stages a change of a way in.
func stageCommand(c stage.Change) string {
	if c.Do == stage.Join {
		return fmt.Sprintf("gatemap trial join TRIAL %s %s", c.Group, c.Member)
	}
	return fmt.Sprintf("gatemap trial set TRIAL %s %s %s", c.User, c.Attribute, c.Value)
}

func (a *app) probeText(p *answer.Probe) error {
	if err := a.whyText(&p.Why); err != nil {
		return err
	}
	a.print("\n")
	wide := widest(p.Passes, func(s rule.Pass) string { return s.Line })
	for _, s := range p.Passes {
		var why []string
		if len(s.Needs) > 0 {
			why = append(why, labels(s.Needs, answer.NeedLabel, ", "))
		}
		if len(s.Lacks) > 0 {
			why = append(why, labels(s.Lacks, answer.LackLabel, " or "))
		}
		row := fmt.Sprintf("%-*s  %-23s  %s", wide, s.Line, answer.FateLabel(s.Fate), strings.Join(why, "; "))
		a.print("%s\n", strings.TrimRight(row, " "))
	}
	return nil
}

func probeTable(p *answer.Probe) [][]string {
	table := [][]string{{"line", "fate", "needs", "lacks"}}
	for _, s := range p.Passes {
		table = append(table, []string{s.Line, string(s.Fate), written(s.Needs, "; "), written(s.Lacks, "; ")})
	}
	return table
}

func whyTable(w *answer.Why) [][]string {
	var misses []string
	for _, m := range w.Misses {
		misses = append(misses, m.Mapping+" lacks "+written(m.Lacks, " or "))
	}
	head := append([]string{"user", "system", "object", "right"}, entitlementHead...)
	row := append([]string{w.User, w.System, w.Object, w.Right}, entitlementCells(&w.Entitlement)...)
	return [][]string{
		append(head, "decided_at", "misses", "sentences"),
		append(row, w.DecidedAt, strings.Join(misses, "; "), strings.Join(w.Sentences, " ")),
	}
}

func onFlags(objects []string) string {
	flags := make([]string, len(objects))
	for i, o := range objects {
		flags[i] = fmt.Sprintf("--on %q", o)
	}
	return strings.Join(flags, ", ")
}

// labels puts each of a list into few words.
func labels[T any](list []T, label func(T) string, between string) string {
	return strings.Join(lines(list, label), between)
}

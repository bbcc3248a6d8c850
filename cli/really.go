package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"gatemap/answer"
)

// reallyFlag adds the flag that asks what is really there.
func reallyFlag(cmd *cobra.Command, really *bool) {
	cmd.Flags().
		BoolVar(really, "really", false,
			"answer from what linked systems really hold, by their newest readings, leaving aside what stands in front")
}

// askHoldings is ask for a question of the map, or of what is really there.
func askHoldings[T any](
	a *app,
	cmd *cobra.Command,
	really bool,
	question func(context.Context, answer.Holdings) (*T, error),
	text func(*T) error,
	table func(*T) [][]string,
	markdown ...func(*T) error,
) error {
	if !really {
		return ask(
			a,
			cmd,
			func(ctx context.Context, asker answer.Asker) (*T, error) { return question(ctx, asker) },
			text,
			table,
			markdown...)
	}
	if a.ofTrial != "" {
		return &usageError{"--trial asks as if a trial were in force, and --really what is there: leave one of them out"}
	}
	o, err := a.workplace(cmd.Context())
	if err != nil {
		return err
	}
	h, err := o.Really(cmd.Context())
	if err != nil {
		return err
	}
	got, err := question(cmd.Context(), h)
	if err != nil {
		return a.explain(err)
	}
	return present(a, got, text, table, markdown...)
}

// reallyText tells of which readings an answer is; nothing of one by the map.
func (a *app) reallyText(list []answer.ReadingInfo) {
	for _, r := range list {
		a.print("Really there: %s\n", readText(&r))
	}
}

// readText says of what and when a reading is.
func readText(r *answer.ReadingInfo) string {
	text := fmt.Sprintf("%s, as it was %s ago", r.System, ago(time.Since(r.At)))
	if r.Stale {
		text += " (stale: older than three times what every says)"
	}
	if len(r.Unseen) > 0 {
		text += "; not seen: " + strings.Join(r.Unseen, ", ")
	}
	return text
}

// ago is a length of time in one unit.
func ago(d time.Duration) string {
	switch {
	case d < 2*time.Minute:
		return count(max(0, int(d.Seconds())), "second", "seconds")
	case d < 2*time.Hour:
		return count(int(d.Minutes()), "minute", "minutes")
	case d < 48*time.Hour:
		return count(int(d.Hours()), "hour", "hours")
	}
	return count(int(d.Hours()/24), "day", "days")
}

func (a *app) reading() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "reading",
		Short: "What linked systems really hold",
		Long: `A system whose document has the key link can be read: its accounts, its groups, and who
holds what there. The newest reading of each is kept. What differs from the map is told by
gatemap drift; questions are asked of it with --really.`,
		Example: "  gatemap reading list\n  gatemap reading run sky-tools\n  gatemap drift sky-tools",
	}
	cmd.AddCommand(a.readingList(), a.readingRun())
	return cmd
}

func (a *app) readingList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "List the linked systems with their newest readings", Args: cobra.NoArgs,
		Long: "Lists the systems that have a link: how they are reached, when they were read, " +
			"and whether that failed since.",
		Example: "  gatemap reading list\n  gatemap reading list -o csv",
		RunE: func(cmd *cobra.Command, _ []string) error {
			o, err := a.workplace(cmd.Context())
			if err != nil {
				return err
			}
			all, err := o.Linked(cmd.Context())
			if err != nil {
				return a.explain(err)
			}
			return present(a, all, a.linkedText, linkedTable)
		},
	}
}

func (a *app) readingRun() *cobra.Command {
	return &cobra.Command{
		Use: "run SYSTEM", Short: "Read what a system really holds", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
		Long: `Reads a linked system now. What it holds takes the place of the reading before; where it
cannot be read, that one stays.`,
		Example: "  gatemap reading run sky-tools",
		RunE: func(cmd *cobra.Command, args []string) error {
			o, err := a.workplace(cmd.Context())
			if err != nil {
				return err
			}
			l, err := o.Observe(cmd.Context(), args[0])
			if err != nil {
				return a.explain(err)
			}
			return present(a, &answer.LinkedSystems{Systems: []answer.Linked{*l}}, a.linkedText, linkedTable)
		},
	}
}

func (a *app) linkedText(all *answer.LinkedSystems) error {
	if len(all.Systems) == 0 {
		a.print(
			"No system of the map has a link. Give the document of one the key link, " +
				"with how it is reached (docs/connected.md).\n",
		)
		return nil
	}
	for _, l := range all.Systems {
		every := "by hand"
		if l.Every != "" {
			every = "every " + l.Every
		}
		a.print("%s  %s, %s\n", a.paint(strong, l.System), l.Kind, every)
		if r := l.Newest; r != nil {
			a.print(
				"  %s\n  %s, %d of users of the map, %s; %s\n",
				readText(r),
				count(r.Accounts, "account", "accounts"),
				r.Tied,
				count(r.Strangers, "stranger", "strangers"),
				count(r.Groups, "group", "groups"),
			)
			if r.BeyondAll > 0 {
				a.print("  %s cannot be expressed by a system of this type:\n", count(r.BeyondAll, "thing", "things"))
				for _, b := range r.Beyond[:min(5, len(r.Beyond))] {
					a.print("    %s: %s\n", b.What, b.Text)
				}
			}
		} else {
			a.print("  not read yet\n")
		}
		if l.Busy {
			a.print("  it is being read now\n")
		}
		if l.Failed > 0 {
			a.print("  %s: %s\n", a.paint(red, "failed "+count(l.Failed, "time", "times")+" since"), l.Error)
		}
	}
	return nil
}

func linkedTable(all *answer.LinkedSystems) [][]string {
	rows := [][]string{
		{"system", "kind", "every", "at", "accounts", "tied", "strangers", "groups", "beyond", "failed", "error"},
	}
	for _, l := range all.Systems {
		row := []string{l.System, l.Kind, l.Every, "", "", "", "", "", "", fmt.Sprint(l.Failed), l.Error}
		if r := l.Newest; r != nil {
			row[3] = r.At.Format(time.RFC3339)
			for i, n := range []int{r.Accounts, r.Tied, r.Strangers, r.Groups, r.BeyondAll} {
				row[4+i] = fmt.Sprint(n)
			}
		}
		rows = append(rows, row)
	}
	return rows
}

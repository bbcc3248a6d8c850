package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/rule"
)

func (a *app) who() *cobra.Command {
	var object string
	var really bool
	cmd := &cobra.Command{
		Use:   "who SYSTEM RIGHT",
		Short: "Everyone who holds one right",
		Long: `Lists every user who holds one right: open, depends (and on what) or shut (and by
what), with the groups by which it comes.`,
		Example: `  gatemap who archive frames:purge --on /raw
  gatemap who archive frames:read --at 2026-11-23T12:00:00Z -o csv`,
		Args:              cobra.ExactArgs(2),
		ValidArgsFunction: a.completeArgs(a.names(answer.KindSystem), a.rights(0)),
	}
	a.onFlag(cmd, &object, 0)
	reallyFlag(cmd, &really)
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := a.situation(cmd.Context(), facts)
		if err != nil {
			return err
		}
		return askHoldings(a, cmd, really, func(ctx context.Context, asker answer.Holdings) (*answer.Who, error) {
			return asker.Who(ctx, args[0], args[1], object, s)
		}, a.whoText, whoTable)
	}
	return cmd
}

func (a *app) whoText(w *answer.Who) error {
	a.print("%s\nSituation: %s\n\n", a.paint(strong, w.System+" "+w.Right+" on "+w.Object), given(w.Situation))
	a.reallyText(w.Really)
	if w.DecidedAt != "" {
		a.print("%s\n\n", answer.Undeclared(w.Object, w.DecidedAt))
	}
	if len(w.Users) == 0 {
		a.print("Nobody holds it.\n")
		return nil
	}
	width := widest(w.Users, func(h answer.Holder) string { return h.User })
	for _, h := range w.Users {
		e := held(&h)
		note := why(&e)
		if note == "" {
			note = joinRoutes(h.Routes)
		}
		a.print("%s\n", strings.TrimRight("  "+pad(h.User, width)+"  "+a.state(h.State)+"  "+note, " "))
	}
	a.print("\n%s\n", count(len(w.Users), "person", "people"))
	return nil
}

func whoTable(w *answer.Who) [][]string {
	rows := [][]string{
		{
			"system",
			"object",
			"right",
			"user",
			"state",
			"breadth",
			"needs",
			"shut_by",
			"routes",
			"reply",
			"open_if",
			"decided_at",
		},
	}
	for _, h := range w.Users {
		rows = append(rows, []string{
			w.System, w.Object, w.Right, h.User, h.State.String(), h.Breadth, written(h.Needs, "; "), joinStops(h.ShutBy),
			joinRoutes(h.Routes), joinReply(h.Reply), joinWays(h.OpenIf, h.More), w.DecidedAt,
		})
	}
	return rows
}

// held is what a user holds of the thing that was asked about.
func held(h *answer.Holder) rule.Entitlement {
	return rule.Entitlement{
		State:   h.State,
		Breadth: h.Breadth,
		Reply:   h.Reply,
		Needs:   h.Needs,
		OpenIf:  h.OpenIf,
		More:    h.More,
		ShutBy:  h.ShutBy,
	}
}

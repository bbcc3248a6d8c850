package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/finding"
)

// tried is an outcome with what turns.
type tried struct {
	*answer.Outcome
	Turned *answer.Turned `json:"turned"`
}

func (a *app) trialOutcome() *cobra.Command {
	var part answer.Part
	cmd := also(&cobra.Command{
		Use: "outcome TRIAL", Short: "Who gains and who loses what by a trial",
		Long: `Shows what a trial would change: how much, for whom, in which systems, and which findings
and guarantees change. The exit code is 1 if it brings an error or breaks a guarantee, so
that it cannot be committed.`,
		Example: `  gatemap trial outcome season
  gatemap trial outcome season --user ilse.okonjo --from 198.51.100.9 --at 2026-11-23T22:00:00Z
  gatemap trial outcome season --effect loss -o csv`,
		Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeArgs(a.completeTrial),
	}, asMarkdown)
	cmd.Flags().StringVar(&part.User, "user", "", "only this user")
	cmd.Flags().StringVar(&part.System, "system", "", "only this system")
	cmd.Flags().
		StringVar(&part.Effect, "effect", "",
			"list only these: gain, loss, change or reroute; all: these four (default: all but other routes)")
	cmd.Flags().IntVar(&part.Limit, "limit", 0, "how many effects at most, 1 to 1000 (default 100; of CSV all)")
	cmd.Flags().StringVar(&part.Cursor, "cursor", "", "the page to show: next of the page before")
	_ = cmd.RegisterFlagCompletionFunc("user", a.names(answer.KindUser))
	_ = cmd.RegisterFlagCompletionFunc("system", a.names(answer.KindSystem))
	_ = cmd.RegisterFlagCompletionFunc("effect", cobra.FixedCompletions(effects, cobra.ShellCompDirectiveNoFileComp))
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if err := chosen("effect", part.Effect, effects); err != nil {
			return err
		}
		s, err := a.situation(cmd.Context(), facts)
		if err != nil {
			return err
		}
		return onChanger(a, cmd, func(ctx context.Context, c answer.Changer) (*tried, error) {
			ask := c.Outcome
			if a.format == asCSV && part.Limit == 0 && part.Cursor == "" {
				ask = c.WholeOutcome
			}
			o, err := ask(ctx, args[0], s, part)
			if err != nil {
				return nil, err
			}
			t, err := c.Turned(ctx, args[0])
			if err != nil {
				return nil, err
			}
			a.failed = t.Stops()
			return &tried{o, t}, nil
		}, a.triedText, func(t *tried) [][]string { return outcomeTable(t.Outcome) }, a.triedMarkdown)
	}
	return cmd
}

func (a *app) triedText(t *tried) error {
	a.print(
		"%s, version %d, on revision %d\nSituation: %s\n\n",
		a.paint(strong, t.Trial),
		t.Version,
		t.Revision,
		given(t.Situation),
	)
	if err := a.outcomeText(t.Outcome); err != nil {
		return err
	}
	a.turnedText(t.Turned)
	if !t.Turned.Stops() {
		a.print("\nCommit it:  gatemap trial commit %s --version %d --reason \"…\"\n", t.Trial, t.Version)
	}
	return nil
}

func tally(t *answer.Tally) string {
	var parts []string
	add := func(n int, one, many string) {
		if n > 0 {
			parts = append(parts, count(n, one, many))
		}
	}
	add(t.Gains, "gain", "gains")
	add(t.Losses, "loss", "losses")
	add(t.Changes, "change", "changes")
	add(t.Reroutes, "other route", "other routes")
	if parts == nil {
		return "nothing"
	}
	return strings.Join(parts, ", ")
}

func (a *app) outcomeText(o *answer.Outcome) error {
	if part := o.Part(); part != "" {
		a.print("This is a part: %s.\n", part)
	}
	if o.Total.All() == 0 && len(o.Pieces) > 0 {
		a.piecesText(o)
		return nil
	}
	switch {
	case o.Total.All() == 0 && o.Looked > 0:
		a.print("Among these nobody gains or loses anything; others may.\n")
		return nil
	case o.Total.All() == 0:
		a.print("Nobody gains or loses anything.\n")
		return nil
	}
	a.summaryText(o)
	a.piecesText(o)
	if len(o.Seats) > 0 {
		a.print("\n%s\n", a.paint(strong, "Seats"))
		for _, s := range o.Seats {
			a.print("  %s  %d held, then %d, of %d\n", s.Product, s.Before, s.After, s.Seats)
		}
	}
	a.itemsText(o)
	return nil
}

// summaryText says how much an outcome is, where, for whom and why.
func (a *app) summaryText(o *answer.Outcome) {
	a.print("%s, for %s\n", tally(&o.Total), count(o.People, "person", "people"))
	list := func(heading string, rows []answer.Tallied) {
		a.print("\n%s\n", a.paint(strong, heading))
		wide := widest(rows, func(t answer.Tallied) string { return t.Name })
		for _, t := range rows {
			a.print("  %s  %s\n", pad(t.Name, wide), tally(&t.Tally))
		}
	}
	list("By system", o.BySystem)
	a.toDeliverText(o.Deliver)
	if o.People > 1 {
		list("By person", o.ByPerson)
	}
	if len(o.ByCause) > 0 {
		a.print("\n%s\n", a.paint(strong, "Why"))
		for _, c := range o.ByCause {
			what := count(c.Effects, "loss", "losses")
			if c.Gain {
				what = count(c.Effects, "gain", "gains")
			}
			a.print("  %s: %s of %s\n", c.Words, what, count(c.People, "person", "people"))
		}
	}
}

// toDeliverText says how systems come to what the map says after a commit.
func (a *app) toDeliverText(list []answer.ToDeliver) {
	if len(list) == 0 {
		return
	}
	a.print("\n%s\n", a.paint(strong, "To deliver after the commit"))
	wide := widest(list, func(d answer.ToDeliver) string { return d.System })
	_, server, err := a.place()
	served := err == nil && server.value != ""
	for _, d := range list {
		how := "by hand, from a service"
		switch {
		case d.When == "on-commit":
			how = "at once, by itself"
		case served:
			how = "gatemap delivery run " + d.System
		}
		a.print("  %s  %s\n", pad(d.System, wide), how)
	}
}

// itemsText lists the effects of an outcome by person.
func (a *app) itemsText(o *answer.Outcome) {
	if o.Total.Reroutes > 0 &&
		!slices.ContainsFunc(o.Items, func(x answer.Effected) bool { return x.Effect == answer.Reroute }) {
		a.print(
			"\n%s not listed:  --effect reroute, or --effect all\n",
			count(o.Total.Reroutes, "other route is", "other routes are"),
		)
	}
	user := ""
	for i := range o.Items {
		x := &o.Items[i]
		if x.User != user {
			user = x.User
			a.print("\n%s\n", a.paint(strong, user))
		}
		a.print("  %s  %s%s\n", a.effect(x.Effect), entitled(x.Entitlement()), effectWords(x))
	}
	if o.Next != "" {
		a.print("\nMore:  --cursor %s\n", o.Next)
	}
}

// piecesText tells what came into networks and windows, and went out.
func (a *app) piecesText(o *answer.Outcome) {
	if len(o.Pieces) == 0 {
		return
	}
	a.print("\n%s\n", a.paint(strong, "Networks and windows"))
	for _, p := range o.Pieces {
		way := "without"
		if p.Came {
			way = "with"
		}
		if !p.Computed {
			a.print("  %s, now %s %s: ask with --from or --at %s what becomes of those who are there\n", p.Of, way, p.What, p.At)
			continue
		}
		part := ""
		if p.Looked > 0 {
			part = fmt.Sprintf(", computed for %d people of those whom it may touch", p.Looked)
		}
		a.print(
			"  %s, now %s %s: %s, for %s (looked at %s%s)\n",
			p.Of,
			way,
			p.What,
			tally(&p.Total),
			count(p.People, "person", "people"),
			p.At,
			part,
		)
	}
	if o.MorePieces > 0 {
		a.print("  %s not looked at\n", count(o.MorePieces, "further piece is", "further pieces are"))
	}
}

func outcomeTable(o *answer.Outcome) [][]string {
	rows := [][]string{{"effect", "user", "system", "object", "right", "before", "after", "needs", "shut_by"}}
	for i := range o.Items {
		x := &o.Items[i]
		e := x.Entitlement()
		before, after := "none", "none"
		if x.Before != nil {
			before = x.Before.State.String()
		}
		if x.After != nil {
			after = x.After.State.String()
		}
		rows = append(
			rows,
			[]string{
				string(x.Effect),
				x.User,
				e.System,
				e.Object,
				e.Right,
				before,
				after,
				written(e.Needs, "; "),
				joinStops(e.ShutBy),
			},
		)
	}
	return rows
}

func (a *app) turnedText(t *answer.Turned) {
	if t == nil {
		return
	}
	list := func(heading string, findings []finding.Finding) {
		if len(findings) == 0 {
			return
		}
		a.print("\n%s\n", a.paint(strong, heading))
		for _, f := range findings {
			a.print("  %s  %s  %s\n", f.Severity, f.Code, f.Message)
		}
	}
	list("New findings", t.Findings.New)
	list("Findings that go", t.Findings.Gone)
	names := func(heading string, list []string) {
		if len(list) > 0 {
			a.print("\n%s  %s\n", a.paint(strong, heading), strings.Join(list, ", "))
		}
	}
	names("Guarantees that break", t.Guarantees.Broken)
	names("Guarantees kept again", t.Guarantees.Mended)
	if !t.Whole {
		a.print("\nOn a map of this size only errors are checked.\n")
	}
}

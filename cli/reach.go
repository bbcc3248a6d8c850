package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/rule"
)

func (a *app) reach() *cobra.Command {
	var system string
	var person, really bool
	cmd := also(&cobra.Command{
		Use:   "reach USER",
		Short: "Everything that a user holds",
		Long: `Lists every entitlement of a user, by system: open, depends (and on what) or shut
(and by what). Facts that you do not give are unknown; they never count as a yes or
a no. --person also lists the other accounts of the same person.`,
		Example: `  gatemap reach ilse.okonjo
  gatemap reach ilse.okonjo --person
  gatemap reach ilse.okonjo --really
  gatemap reach ilse.okonjo --system archive --from 198.51.100.9 --at 2026-11-23T22:00:00Z
  gatemap reach cindervale/ilse.okonjo -o csv > ilse.csv`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindUser),
	}, asMarkdown)
	cmd.Flags().StringVar(&system, "system", "", "only this system")
	_ = cmd.RegisterFlagCompletionFunc("system", a.names(answer.KindSystem))
	cmd.Flags().BoolVar(&person, "person", false, "list all accounts of the same person")
	reallyFlag(cmd, &really)
	cmd.MarkFlagsMutuallyExclusive("person", "really")
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := a.situation(cmd.Context(), facts)
		if err != nil {
			return err
		}
		if person {
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Person, error) {
				return asker.Person(ctx, args[0], system, s)
			}, a.personText, personTable, a.personMarkdown)
		}
		return askHoldings(a, cmd, really, func(ctx context.Context, asker answer.Holdings) (*answer.Reach, error) {
			return asker.Reach(ctx, args[0], system, s)
		}, a.reachText, reachTable, a.reachMarkdown)
	}
	return cmd
}

func (a *app) reachText(r *answer.Reach) error {
	who := r.User
	if r.DisplayName != "" {
		who = r.DisplayName + " (" + r.User + ")"
	}
	a.print("%s\nSituation: %s\n", a.paint(strong, who), given(r.Situation))
	a.reallyText(r.Really)
	if len(r.Entitlements) == 0 {
		a.print("\nHolds nothing here: no line names this account or a group that it is in.\n")
		a.othersText(r.Others)
		return nil
	}
	counts := map[rule.State]int{}
	for rest := r.Entitlements; len(rest) > 0; {
		n := 1
		for n < len(rest) && rest[n].System == rest[0].System {
			n++
		}
		a.reachSystem(rest[:n])
		for _, e := range rest[:n] {
			counts[e.State]++
		}
		rest = rest[n:]
	}
	a.print("\n%d open, %d depends, %d shut\n", counts[rule.Open], counts[rule.Depends], counts[rule.Shut])
	a.othersText(r.Others)
	return nil
}

// othersText tells of the other accounts of a person.
func (a *app) othersText(others []answer.Account) {
	if len(others) == 0 {
		return
	}
	names := make([]string, len(others))
	for i, o := range others {
		if names[i] = o.User; !o.Active {
			names[i] += " (inactive)"
		}
	}
	a.print("The same person also has %s; --person shows all accounts\n", strings.Join(names, ", "))
}

func (a *app) personText(p *answer.Person) error {
	for i := range p.Accounts {
		if i > 0 {
			a.print("\n")
		}
		r := p.Accounts[i]
		r.Others = nil
		if err := a.reachText(&r); err != nil {
			return err
		}
	}
	if p.HalfLeft {
		a.print("\n%s  one account of this person is inactive and another is active\n", a.paint(yellow, "half-left"))
	}
	return nil
}

func personTable(p *answer.Person) [][]string {
	var rows [][]string
	for i := range p.Accounts {
		table := reachTable(&p.Accounts[i])
		if i > 0 {
			table = table[1:]
		}
		rows = append(rows, table...)
	}
	return rows
}

func (a *app) reachSystem(list []rule.Entitlement) {
	a.print("\n%s\n", a.paint(strong, list[0].System))
	objects := widest(list, func(e rule.Entitlement) string { return e.Object })
	rights := widest(list, func(e rule.Entitlement) string { return e.Right })
	last := ""
	for _, e := range list {
		object := e.Object
		if object == last {
			object = ""
		}
		last = e.Object
		line := fmt.Sprintf("  %s  %s  %s  %s", pad(object, objects), pad(e.Right, rights), a.state(e.State), why(&e))
		a.print("%s\n", strings.TrimRight(line, " "))
	}
}

// why says in a few words what a state hangs on.
func why(e *rule.Entitlement) string {
	var parts []string
	if e.Breadth != "" && e.State >= rule.Depends {
		parts = append(parts, e.Breadth)
	}
	switch e.State {
	case rule.Depends:
		parts = append(parts, answer.OpenIf(e.OpenIf, e.More))
	case rule.Shut:
		for _, s := range e.ShutBy {
			parts = append(parts, answer.StopLabel(s))
		}
	}
	return strings.Join(parts, ", ")
}

func reachTable(r *answer.Reach) [][]string {
	rows := [][]string{append([]string{"user", "system", "object", "right"}, entitlementHead...)}
	for i := range r.Entitlements {
		e := &r.Entitlements[i]
		rows = append(rows, append([]string{r.User, e.System, e.Object, e.Right}, entitlementCells(e)...))
	}
	return rows
}

package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/check"
)

func (a *app) guarantees() *cobra.Command {
	return also(&cobra.Command{
		Use:   "guarantees",
		Short: "Check the guarantees of the map",
		Long: `Checks each guarantee of the map: kept or broken, and by whom. The exit code is 1 if one
is broken, for use in a pipeline.`,
		Example: `  gatemap guarantees --map demo/cindervale
  gatemap guarantees -o junit > guarantees.xml`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if a.format == asSARIF || a.format == asJUnit {
				return report(a, cmd, func(ctx context.Context, asker answer.Asker) ([]checked, bool, error) {
					got, err := asker.Guarantees(ctx)
					if err != nil {
						return nil, false, err
					}
					return checkedGuarantees(got), got.Failed(), nil
				})
			}
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Guarantees, error) {
				got, err := asker.Guarantees(ctx)
				a.failed = err == nil && got.Failed()
				return got, err
			}, a.guaranteesText, func(g *answer.Guarantees) [][]string {
				rows := [][]string{{"guarantee", "state", "users", "reason"}}
				for _, x := range g.Guarantees {
					rows = append(rows, []string{x.Guarantee, x.State, strings.Join(x.Users, "; "), x.Reason})
				}
				return rows
			}, a.guaranteesMarkdown)
		},
	}, asMarkdown, asSARIF, asJUnit)
}

func (a *app) guaranteesText(g *answer.Guarantees) error {
	if len(g.Guarantees) == 0 {
		a.print("The map has no guarantees.\n")
		return nil
	}
	broken := 0
	for _, x := range g.Guarantees {
		style := green
		if x.Broken() {
			style, broken = red, broken+1
		}
		a.print("%s  %s\n        %s\n", a.paint(style, pad(x.State, 6)), a.paint(strong, x.Guarantee), x.Reason)
		if x.Broken() {
			a.evidence(x.Evidence)
		}
	}
	a.print("\n%d kept, %d broken\n", len(g.Guarantees)-broken, broken)
	return nil
}

// evidence prints the first few routes by which people break a guarantee.
func (a *app) evidence(list []check.Evidence) {
	const most = 5
	for _, e := range list[:min(most, len(list))] {
		a.print("        %s  %s  %s  %s\n", a.state(e.Entitlement.State), e.User, entitled(&e.Entitlement),
			a.paint(faint, strings.TrimSpace(why(&e.Entitlement)+"  "+joinRoutes(e.Entitlement.Routes))))
	}
	if len(list) > most {
		a.print("        and %d more\n", len(list)-most)
	}
}

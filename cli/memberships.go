package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
)

func (a *app) memberships() *cobra.Command {
	return &cobra.Command{
		Use:   "memberships USER",
		Short: "Every group of a user, and how",
		Long: `Lists every group of a user: direct, nested, by rule or as primary group, with the
groups on the way.`,
		Example: `  gatemap memberships ilse.okonjo
  gatemap memberships ilse.okonjo -o csv`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindUser),
		RunE: func(cmd *cobra.Command, args []string) error {
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Memberships, error) {
				return asker.Memberships(ctx, args[0])
			}, a.membershipsText, func(m *answer.Memberships) [][]string {
				rows := [][]string{{"user", "group", "how", "path"}}
				for _, x := range m.Groups {
					rows = append(rows, []string{m.User, x.Group, x.How, strings.Join(x.Path, " > ")})
				}
				return rows
			})
		},
	}
}

func (a *app) membershipsText(m *answer.Memberships) error {
	a.print("%s\n\n", a.paint(strong, m.User))
	if len(m.Groups) == 0 {
		a.print("This user is in no group.\n")
		return nil
	}
	width := widest(m.Groups, func(x answer.Membership) string { return x.Group })
	for _, x := range m.Groups {
		a.print("  %s  %s\n", pad(x.Group, width), membership(x.How, x.Path))
	}
	a.print("\n%s\n", count(len(m.Groups), "group", "groups"))
	return nil
}

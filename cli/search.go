package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
)

func (a *app) search() *cobra.Command {
	var kind, cursor string
	var limit int
	cmd := &cobra.Command{
		Use:   "search [WORD ...]",
		Short: "Find users, groups, systems and devices",
		Long: `Finds users, groups, systems and devices by words in their names, titles, departments,
descriptions and mail addresses. All words must occur. --kind line finds lines of systems.`,
		Example: `  gatemap search okonjo
  gatemap search night assistant --kind user`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if kind != "" && !slices.Contains(answer.Kind("").Values(), kind) {
				return &usageError{fmt.Sprintf("--kind %q: one of %s", kind, strings.Join(answer.Kind("").Values(), ", "))}
			}
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Page, error) {
				return asker.Search(ctx, strings.Join(args, " "), answer.Kind(kind), limit, cursor)
			}, a.searchText, func(p *answer.Page) [][]string {
				rows := [][]string{{"kind", "name", "title", "detail", "active"}}
				for _, x := range p.Items {
					rows = append(rows, []string{string(x.Kind), x.Name, x.Title, x.Detail, fmt.Sprint(x.Active)})
				}
				return rows
			})
		},
	}
	cmd.Flags().StringVar(&kind, "kind", "", "only this kind: user, group, system, device or line")
	cmd.Flags().IntVar(&limit, "limit", 100, "how many items at most, 1 to 1000")
	cmd.Flags().StringVar(&cursor, "cursor", "", "the page to show: next of the page before")
	_ = cmd.RegisterFlagCompletionFunc(
		"kind",
		cobra.FixedCompletions(answer.Kind("").Values(), cobra.ShellCompDirectiveNoFileComp),
	)
	return cmd
}

func (a *app) searchText(p *answer.Page) error {
	names := widest(p.Items, func(x answer.Item) string { return x.Name })
	titles := widest(p.Items, func(x answer.Item) string { return x.Title })
	for _, x := range p.Items {
		detail := x.Detail
		if !x.Active {
			detail = strings.TrimPrefix(detail+", inactive", ", ")
		}
		a.print(
			"%s\n",
			strings.TrimRight(fmt.Sprintf("  %-6s  %s  %s  %s", x.Kind, pad(x.Name, names), pad(x.Title, titles), detail), " "),
		)
	}
	a.print("%d of %d\n", len(p.Items), p.Total)
	if p.Next != "" {
		a.print("More:  --cursor %s\n", p.Next)
	}
	return nil
}

package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
)

func (a *app) rule() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "rule",
		Short:   "Try the rule of a group before it is used",
		Example: `  gatemap rule test 'title eq "Night assistant" and active eq true'`,
		Args:    cobra.NoArgs,
	}
	var directory string
	test := &cobra.Command{
		Use:   "test FILTER",
		Short: "Whom a rule would match",
		Long: `Says how many users a filter (RFC 7644 section 3.4.2.2) matches, and names some of
them. An attribute that no user has is reported. Nothing is changed.`,
		Example: `  gatemap rule test 'title eq "Night assistant" and active eq true'
  gatemap rule test 'department sw "Oper"' --directory cindervale`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Matched, error) {
				m, err := asker.TestRule(ctx, args[0], directory)
				if err == nil && m.Wrong != "" {
					return nil, &usageError{
						fmt.Sprintf(
							"the filter has an error at column %d: %s\n  %s\n  %s^",
							m.At,
							m.Wrong,
							args[0],
							strings.Repeat(" ", max(0, m.At-1)),
						),
					}
				}
				return m, err
			}, a.matchedText, func(m *answer.Matched) [][]string {
				return [][]string{
					{"filter", "count", "sample", "unknown"},
					{m.Filter, strconv.Itoa(m.Count), strings.Join(m.Sample, "; "), strings.Join(m.Unknown, "; ")},
				}
			})
		},
	}
	test.Flags().StringVar(&directory, "directory", "", "only users of this directory")
	cmd.AddCommand(test)
	return cmd
}

func (a *app) matchedText(m *answer.Matched) error {
	a.print("%s matches %s.\n", a.paint(strong, m.Filter), count(m.Count, "user", "users"))
	for _, u := range m.Sample {
		a.print("  %s\n", u)
	}
	if m.Count > len(m.Sample) {
		a.print("  and %d more\n", m.Count-len(m.Sample))
	}
	for _, x := range m.Unknown {
		a.print("%s  no user has the attribute %s\n", a.paint(yellow, "warning"), x)
	}
	return nil
}

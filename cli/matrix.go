package cli

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/rule"
)

func (a *app) matrix() *cobra.Command {
	var system, group, right string
	var really bool
	cmd := &cobra.Command{
		Use:   "matrix",
		Short: "People against entitlements, as a table",
		Long: `Makes a table of people and what they hold: as CSV for a spreadsheet, or as text if it is
small. Narrow it with --system, --group and --right.`,
		Example: `  gatemap matrix --system ledger
  gatemap matrix --group night-crew -o csv > crew.csv
  gatemap matrix --system archive --right "frames:p*"`,
		Args: cobra.NoArgs,
	}
	cmd.Flags().StringVar(&system, "system", "", "only this system")
	cmd.Flags().StringVar(&group, "group", "", "only members of this group")
	cmd.Flags().StringVar(&right, "right", "", "only rights that match this pattern, such as frames:*")
	_ = cmd.RegisterFlagCompletionFunc("system", a.names(answer.KindSystem))
	_ = cmd.RegisterFlagCompletionFunc("group", a.names(answer.KindGroup))
	reallyFlag(cmd, &really)
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		s, err := a.situation(cmd.Context(), facts)
		if err != nil {
			return err
		}
		return askHoldings(a, cmd, really, func(ctx context.Context, asker answer.Holdings) (*answer.Matrix, error) {
			return asker.Matrix(ctx, system, group, right, s)
		}, a.matrixText, matrixTable)
	}
	return cmd
}

// maxColumns is how many entitlements fit on a screen.
const maxColumns = 24

func (a *app) matrixText(m *answer.Matrix) error {
	if len(m.Columns) > maxColumns {
		return &usageError{
			fmt.Sprintf(
				"the table has %d columns, and %d fit: narrow it with --system, --group or --right, or use -o csv",
				len(m.Columns),
				maxColumns,
			),
		}
	}
	a.print("Situation: %s\n", given(m.Situation))
	a.reallyText(m.Really)
	a.print("\n")
	if len(m.Rows) == 0 {
		a.print("Nobody holds anything in this table.\n")
		return nil
	}
	width := widest(m.Rows, func(r answer.Row) string { return r.User })
	for i, c := range m.Columns {
		a.print("%s  %2d  %s %s on %s\n", pad("", width), i+1, c.System, c.Right, c.Object)
	}
	a.print("\n%s", pad("", width))
	for i := range m.Columns {
		a.print("  %3d%s", i+1, strings.Repeat(" ", breadthWidth(m, i)))
	}
	a.print("\n")
	for _, r := range m.Rows {
		a.print("%s", pad(r.User, width))
		for i, s := range r.States {
			a.print("  %s%s", a.paint(stateStyles[s], signs[s]), breadthSign(m, &r, i))
		}
		a.print("\n")
	}
	a.repliesText(m)
	if slices.ContainsFunc(m.Rows, func(r answer.Row) bool { return r.Breadths != nil }) {
		a.print("\nBreadth: o own, t team, a all\n")
	}
	a.print(
		"\n%s open  %s depends  %s shut  %s none\n",
		signs[rule.Open],
		signs[rule.Depends],
		signs[rule.Shut],
		signs[rule.None],
	)
	return nil
}

// breadthWidth is the room of the letter for the breadth in a column: none where it has none.
func breadthWidth(m *answer.Matrix, column int) int {
	if slices.ContainsFunc(m.Rows, func(r answer.Row) bool { return r.Breadths != nil && r.Breadths[column] != "" }) {
		return 1
	}
	return 0
}

// breadthSign is the letter for the breadth of a cell.
func breadthSign(m *answer.Matrix, r *answer.Row, column int) string {
	if r.Breadths != nil && r.Breadths[column] != "" {
		return r.Breadths[column][:1]
	}
	return strings.Repeat(" ", breadthWidth(m, column))
}

// repliesText tells which replies the entitlements of each column come with, and to whom.
func (a *app) repliesText(m *answer.Matrix) {
	heading := "\nReplies\n"
	for i := range m.Columns {
		people := map[string][]string{}
		for _, r := range m.Rows {
			if r.Replies[i] != nil {
				reply := joinReply(r.Replies[i])
				people[reply] = append(people[reply], r.User)
			}
		}
		for _, reply := range slices.Sorted(maps.Keys(people)) {
			a.print("%s%4d  %s: %s\n", heading, i+1, reply, strings.Join(people[reply], ", "))
			heading = ""
		}
	}
}

func matrixTable(m *answer.Matrix) [][]string {
	head := []string{"user"}
	for _, c := range m.Columns {
		head = append(head, fmt.Sprintf("%s %s on %s", c.System, c.Right, c.Object))
	}
	rows := [][]string{head}
	for _, r := range m.Rows {
		row := []string{r.User}
		for i, s := range r.States {
			cell := s.String()
			if r.Breadths != nil && r.Breadths[i] != "" {
				cell += " (" + r.Breadths[i] + ")"
			}
			if r.Replies[i] != nil {
				cell += " (" + joinReply(r.Replies[i]) + ")"
			}
			row = append(row, cell)
		}
		rows = append(rows, row)
	}
	return rows
}

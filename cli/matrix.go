package cli

import (
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/gate"
)

func (a *app) matrix() *cobra.Command {
	var system, group, right string
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
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		s, err := a.situation(cmd.Context(), facts)
		if err != nil {
			return err
		}
		return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Matrix, error) {
			return asker.Matrix(ctx, system, group, right, s)
		}, a.matrixText, matrixTable)
	}
	return cmd
}

// maxColumns is how many entitlements fit on a screen.
const maxColumns = 24

func (a *app) matrixText(m *answer.Matrix) error {
	if len(m.Columns) > maxColumns {
		return &usageError{fmt.Sprintf("the table has %d columns, and %d fit: narrow it with --system, --group or --right, or use -o csv", len(m.Columns), maxColumns)}
	}
	a.print("Situation: %s\n\n", given(m.Situation))
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
		a.print("  %3d", i+1)
	}
	a.print("\n")
	for _, r := range m.Rows {
		a.print("%s", pad(r.User, width))
		for _, s := range r.States {
			a.print("  %s", a.paint(stateStyles[s], signs[s]))
		}
		a.print("\n")
	}
	a.print("\n%s open  %s depends  %s shut  %s none\n", signs[gate.Open], signs[gate.Depends], signs[gate.Shut], signs[gate.None])
	return nil
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
			row = append(row, cell)
		}
		rows = append(rows, row)
	}
	return rows
}

package cli

import (
	"context"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/finding"
	"gatemap/core/place"
)

func (a *app) findings() *cobra.Command {
	var w answer.Wanted
	cmd := also(&cobra.Command{
		Use:   "findings",
		Short: "What is wrong, useless or risky in the map",
		Long: `Lists errors, warnings and notes about the map, each with its place, what is wrong, and
how to fix it. The exit code is 1 if an error is listed.`,
		Example: `  gatemap findings --map demo/cindervale
  gatemap findings --system archive --severity error
  gatemap findings -o csv > findings.csv
  gatemap findings -o sarif > findings.sarif`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := chosen("severity", w.Severity, severities); err != nil {
				return err
			}
			if err := chosen("code", w.Code, finding.Codes()); err != nil {
				return err
			}
			if a.format == asSARIF || a.format == asJUnit {
				return report(a, cmd, func(ctx context.Context, asker answer.Asker) ([]checked, bool, error) {
					found, err := asker.Findings(ctx, w)
					if err != nil {
						return nil, false, err
					}
					return checkedFindings(found), found.Failed(), nil
				})
			}
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Findings, error) {
				found, err := asker.Findings(ctx, w)
				a.failed = err == nil && found.Failed()
				return found, err
			}, a.findingsText, findingsTable, a.findingsMarkdown)
		},
	}, asMarkdown, asSARIF, asJUnit)
	flags := cmd.Flags()
	flags.StringVar(&w.System, "system", "", "only findings of this system")
	flags.StringVar(&w.Code, "code", "", "only findings with this code, such as shadowed")
	flags.StringVar(&w.Severity, "severity", "", "only findings of this severity: error, warning or note")
	_ = cmd.RegisterFlagCompletionFunc("system", a.names(answer.KindSystem))
	_ = cmd.RegisterFlagCompletionFunc("severity", cobra.FixedCompletions(severities, cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("code", cobra.FixedCompletions(finding.Codes(), cobra.ShellCompDirectiveNoFileComp))
	return cmd
}

var severities = []string{string(finding.Error), string(finding.Warning), string(finding.Note)}

var severityStyles = map[finding.Severity]style{finding.Error: red, finding.Warning: yellow, finding.Note: faint}

func (a *app) findingsText(f *answer.Findings) error {
	if len(f.Findings) == 0 {
		a.print("No findings.\n")
		return nil
	}
	counts := map[finding.Severity]int{}
	var last finding.Code
	for _, x := range f.Findings {
		counts[x.Severity]++
		if x.Code != last {
			a.print("%s %s\n", a.paint(severityStyles[x.Severity], string(x.Severity)), a.paint(strong, string(x.Code)))
			last = x.Code
		}
		a.print("  %s\n", x.Message)
		a.print("    %s\n", x.Fix)
		if at := placeOf(x.Where); at != "" {
			a.print("    %s\n", a.paint(faint, at))
		}
	}
	a.print("\n%s, %s, %s\n", count(counts[finding.Error], "error", "errors"),
		count(counts[finding.Warning], "warning", "warnings"), count(counts[finding.Note], "note", "notes"))
	return nil
}

func placeOf(w finding.Where) string {
	return place.Place{File: w.File, Line: w.Line, Column: w.Column}.String()
}

func findingsTable(f *answer.Findings) [][]string {
	rows := [][]string{{"severity", "code", "file", "line", "system", "rule", "message", "fix", "names"}}
	for _, x := range f.Findings {
		rows = append(rows, []string{
			string(x.Severity), string(x.Code), x.Where.File, strconv.Itoa(int(x.Where.Line)), x.Where.System, x.Where.Rule,
			x.Message, x.Fix, strings.Join(x.Names, "; "),
		})
	}
	return rows
}

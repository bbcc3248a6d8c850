package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/service/intake"
)

func (a *app) trialCommit() *cobra.Command {
	var version int
	var reason, override, key string
	cmd := &cobra.Command{
		Use: "commit TRIAL", Short: "Put a trial in force, as one revision",
		Long: `Commits the version of a trial that you have seen, with a reason; "trial show" prints the
version, "trial outcome" the whole command. It is refused (exit code 5) if the trial has a newer
version, if someone else changed the same things of the map in the meantime, if it brings an
error, or if it breaks a guarantee. An approver can override the last two, with a reason that the
history records.`,
		Example: `  gatemap trial commit season --version 3 --reason "The season ends"
  gatemap trial commit season --version 3 --reason "The season ends" --key ticket-4711`,
		Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeArgs(a.completeTrial),
		RunE: func(cmd *cobra.Command, args []string) error {
			if version < 1 {
				return &usageError{
					fmt.Sprintf(
						"name the version of the trial that you have seen: --version N, which gatemap trial show %s prints",
						args[0],
					),
				}
			}
			return onChanger(a, cmd, func(ctx context.Context, c answer.Changer) (*answer.Committed, error) {
				return c.CommitTrial(ctx, args[0], version, reason, override, key)
			}, a.committedText, committedTable)
		},
	}
	cmd.Flags().IntVar(&version, "version", 0, "the version of the trial that you have seen")
	cmd.Flags().StringVar(&reason, "reason", "", "why, for the history")
	cmd.Flags().StringVar(&override, "override", "", "why to commit although it brings an error or breaks a guarantee")
	cmd.Flags().StringVar(&key, "key", "", "an idempotency key: a repeated commit with the same key is made only once")
	_ = cmd.MarkFlagRequired("reason")
	return cmd
}

func (a *app) committedText(c *answer.Committed) error {
	switch folder, _, _ := a.place(); {
	case folder.value != "":
		a.print("Written to %s.\n", folder.value)
		return nil
	case c.Again:
		a.print("It was already committed, as revision %d.\n", c.Revision)
	case c.Rebased:
		a.print("In force as revision %d, on top of what others committed in the meantime.\n", c.Revision)
	default:
		a.print("In force as revision %d.\n", c.Revision)
	}
	a.print("Revert it:  gatemap revert %d\n", c.Revision)
	for i, p := range c.Passwords {
		if i == 0 {
			a.print("\nFirst passwords of the new accounts, which are kept nowhere: hand them out now.\n")
		}
		a.print("  %s  %s\n", p.User, p.Password)
	}
	return nil
}

func committedTable(c *answer.Committed) [][]string {
	return [][]string{
		{"revision", "rebased", "again", "overrides"},
		{strconv.Itoa(c.Revision), strconv.FormatBool(c.Rebased), strconv.FormatBool(c.Again), c.Overrides},
	}
}

func (a *app) revert() *cobra.Command {
	var named string
	cmd := &cobra.Command{
		Use: "revert REVISION", Short: "Begin a trial that reverts a revision",
		Long: `Begins a trial that restores what a revision changed. See its outcome and commit it like any
other trial. It is refused if what the revision changed was changed again later.`,
		Example: "  gatemap revert 12\n  gatemap trial outcome revert-12\n" +
			"  gatemap trial commit revert-12 --version 1 --reason \"Too early\"", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			n, err := strconv.Atoi(args[0])
			if err != nil || n < 1 {
				return &usageError{fmt.Sprintf("%q is not the number of a revision; gatemap history lists them", args[0])}
			}
			return withService(
				a,
				cmd,
				func(ctx context.Context, c *client.Client) (*answer.Trial, error) { return c.Revert(ctx, n, named) },
				a.trialText,
				trialTable,
			)
		},
	}
	cmd.Flags().StringVar(&named, "name", "", "name of the trial (default: revert- and the number)")
	return cmd
}

func (a *app) history() *cobra.Command {
	var limit int
	var cursor string
	cmd := &cobra.Command{
		Use: "history [REVISION]", Short: "The revisions of the map, or one revision with its changes",
		Example: "  gatemap history\n  gatemap history 12", Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Revisions, error) {
				if len(args) == 0 {
					return c.History(ctx, limit, cursor)
				}
				n, err := strconv.Atoi(args[0])
				if err != nil {
					return nil, &usageError{fmt.Sprintf("%q is not the number of a revision", args[0])}
				}
				r, err := c.Revision(ctx, n)
				if err != nil {
					return nil, err
				}
				return &answer.Revisions{Revisions: []answer.Revision{*r}}, nil
			}, a.historyText, historyTable)
		},
	}
	cmd.Flags().IntVar(&limit, "limit", 100, "how many revisions at most, 1 to 1000")
	cmd.Flags().StringVar(&cursor, "cursor", "", "the page to show: next of the page before")
	return cmd
}

func (a *app) historyText(all *answer.Revisions) error {
	for _, r := range all.Revisions {
		a.print(
			"%s  %s  %s  %s\n",
			a.paint(strong, fmt.Sprintf("%4d", r.Number)),
			r.At.Local().Format("2006-01-02 15:04:05"),
			pad(r.Author, 16),
			r.Reason,
		)
		for _, x := range r.Written {
			a.print("      written to %s %s\n", x.Directory, x.At.Local().Format("2006-01-02 15:04:05"))
		}
		for _, x := range r.Arrived {
			a.print("      arrived in %s %s by delivery %d\n", x.System, x.At.Local().Format("2006-01-02 15:04:05"), x.Delivery)
		}
		if r.Overrides != "" {
			a.print("      overridden by %s\n", r.Overrides)
		}
		for _, s := range r.Changes {
			a.print("      %s\n", s)
		}
	}
	if len(all.Revisions) == 0 {
		a.print("No revision yet.\n")
	}
	if all.Next != "" {
		a.print("More:  --cursor %s\n", all.Next)
	}
	return nil
}

func historyTable(all *answer.Revisions) [][]string {
	rows := [][]string{{"revision", "at", "author", "reason", "trial", "reverts", "overrides", "changes"}}
	for _, r := range all.Revisions {
		reverts := ""
		if r.Reverts > 0 {
			reverts = strconv.Itoa(r.Reverts)
		}
		rows = append(
			rows,
			[]string{
				strconv.Itoa(r.Number),
				r.At.UTC().Format("2006-01-02T15:04:05Z"),
				r.Author,
				r.Reason,
				r.Trial,
				reverts,
				r.Overrides,
				strings.Join(r.Changes, " "),
			},
		)
	}
	return rows
}

func (a *app) export() *cobra.Command {
	return &cobra.Command{
		Use: "export DIR", Short: "Write the files of the map in force into a folder",
		Long: `Writes the YAML files of the map in force into a folder, and creates the folder if needed.
Records that come from sources are not written. A file of the folder, .gatemap-revision,
notes the revision, so that gatemap serve --map undoes nothing that is committed later.`,
		Example: "  gatemap export ./observatory", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			d, err := c.Documents(cmd.Context())
			if err != nil {
				return err
			}
			for path, content := range d.Files {
				if !filepath.IsLocal(path) {
					return fmt.Errorf("the map has a file %q, which is not written outside of %s", path, args[0])
				}
				at := filepath.Join(args[0], filepath.FromSlash(path))
				if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
					return err
				}
				if err := os.WriteFile(at, []byte(content), 0o644); err != nil {
					return err
				}
			}
			if err := intake.WriteOrigin(args[0], d.Revision, d.Files); err != nil {
				return err
			}
			a.print("%s of revision %d written to %s\n", count(len(d.Files), "file", "files"), d.Revision, args[0])
			return nil
		},
	}
}

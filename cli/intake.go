package cli

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"gatemap/answer"
	"gatemap/client"
)

func (a *app) intake() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "intake",
		Short: "Read directories: preview, then commit",
		Long: `Reads people, groups and devices from the source of a directory. Every run first makes a
preview: who joins, leaves and changes, how groups change, what is rejected, and what
people gain and lose. Nothing is in force until the run is committed, as one revision,
completely or not at all.

A run that would deactivate or remove more than the removal limit of the source (default
5%) is held until someone confirms it.`,
		Example: `  gatemap intake run cindervale
  gatemap intake commit 12 --version 1
  gatemap intake run personnel --commit
  gatemap intake list`,
	}
	cmd.AddCommand(a.intakeRun(), a.intakeList(), a.intakeShow(), a.intakeCommit(), a.intakeDiscard())
	return cmd
}

func (a *app) intakeRun() *cobra.Command {
	var commit, confirm bool
	cmd := &cobra.Command{
		Use:   "run DIRECTORY",
		Short: "Read the source of a directory and preview the changes",
		Long: `Reads the source of a directory and shows what would change. The run then waits to be
committed, unless --commit commits it at once. The exit code is 1 if the run failed, and 5 if it is held.`,
		Example: `  gatemap intake run cindervale
  gatemap intake run personnel --commit`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeDirectory,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			run, err := a.follow(cmd.Context(), c, func() (*answer.Run, error) {
				return c.RunIntake(cmd.Context(), args[0], commit, confirm)
			})
			if err != nil {
				return err
			}
			return a.showRun(cmd.Context(), c, run)
		},
	}
	cmd.Flags().BoolVar(&commit, "commit", false, "commit at once, unless the removal limit holds the run")
	cmd.Flags().BoolVar(&confirm, "confirm", false, "commit even if the removal limit holds the run")
	return cmd
}

// follow begins a run and shows how far it is, until it rests.
func (a *app) follow(ctx context.Context, c *client.Client, begin func() (*answer.Run, error)) (*answer.Run, error) {
	bar := a.progress()
	defer func() { _ = bar.Clear() }() // a bar that stays is no harm
	var run *answer.Run
	var failed error
	err := c.Events(ctx, func(e client.Event) bool {
		if run == nil { // the first event: from now on none is missed
			run, failed = begin()
			return failed == nil
		}
		if e.Run == nil || e.Run.ID != run.ID {
			return true
		}
		run = e.Run
		bar.Describe(fmt.Sprintf("%s: %s", run.Directory, run.State))
		_ = bar.Set(run.Read)
		return run.State.Running()
	})
	if failed != nil {
		return nil, failed
	}
	return run, err
}

// progress is a bar for work of unknown length, where someone sees it.
func (a *app) progress() *progressbar.ProgressBar {
	f, ok := a.err.(*os.File)
	return progressbar.NewOptions(
		-1,
		progressbar.OptionSetWriter(a.err),
		progressbar.OptionSetVisibility(ok && term.IsTerminal(int(f.Fd()))),
		progressbar.OptionShowCount(),
		progressbar.OptionSetItsString("entries"),
		progressbar.OptionThrottle(100*time.Millisecond),
		progressbar.OptionClearOnFinish(),
	)
}

func runSize(r *answer.Run) string {
	started := "started " + r.Started.Local().Format("2006-01-02 15:04:05")
	if r.StartedBy != "" {
		started += " by " + r.StartedBy
	}
	parts := []string{started}
	if r.Ended != nil {
		parts = append(parts, "took "+r.Ended.Sub(r.Started).Round(time.Millisecond).String())
	}
	parts = append(parts, count(r.Read, "entry", "entries")+" read")
	if r.Server != "" {
		parts = append(parts, "from "+r.Server)
	}
	return strings.Join(parts, ", ")
}

func (a *app) intakeList() *cobra.Command {
	var limit int
	var cursor string
	cmd := &cobra.Command{
		Use:   "list [DIRECTORY]",
		Short: "The runs, the newest first",
		Example: `  gatemap intake list
  gatemap intake list cindervale --limit 200 -o csv`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: a.completeDirectory,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			runs, err := c.Runs(cmd.Context(), strings.Join(args, ""), limit, cursor)
			if err != nil {
				return err
			}
			return present(a, runs, a.runsText, runsTable)
		},
	}
	cmd.Flags().IntVar(&limit, "limit", 100, "how many runs at most, 1 to 1000")
	cmd.Flags().StringVar(&cursor, "cursor", "", "the page to show: next of the page before")
	return cmd
}

func (a *app) runsText(runs *answer.Runs) error {
	if len(runs.Runs) == 0 {
		a.print("No run yet. Begin one:  gatemap intake run DIRECTORY\n")
	}
	for _, r := range runs.Runs {
		a.print(
			"%5d  %s  %s  %s  %s  %s\n",
			r.ID,
			r.Started.Local().Format("2006-01-02 15:04:05"),
			pad(r.Directory, 14),
			pad(r.How, 8),
			a.paint(runStyles[r.State], pad(string(r.State), 9)),
			runWords(&r),
		)
	}
	return nil
}

func runsTable(runs *answer.Runs) [][]string {
	rows := [][]string{
		{
			"run",
			"directory",
			"how",
			"started_by",
			"state",
			"started",
			"seconds",
			"read",
			"joined",
			"left",
			"changed",
			"groups",
			"rejected",
			"revision",
			"error",
		},
	}
	for _, r := range runs.Runs {
		rows = append(rows, runRow(&r))
	}
	return rows
}

func runRow(r *answer.Run) []string {
	took := ""
	if r.Ended != nil {
		took = strconv.FormatFloat(r.Ended.Sub(r.Started).Seconds(), 'f', 3, 64)
	}
	n := strconv.Itoa
	return []string{
		n(
			int(r.ID),
		), r.Directory, r.How, r.StartedBy, string(r.State), r.Started.UTC().Format(time.RFC3339), took, n(r.Read),
		n(r.Counts.Joined), n(r.Counts.Left),
		n(
			r.Counts.Changed,
		), n(r.Counts.NewGroups + r.Counts.GoneGroups + r.Counts.ChangedGroups), n(r.Counts.Rejected), n(r.Revision), r.Error,
	}
}

// runWords says in a few words what a run did.
func runWords(r *answer.Run) string {
	if r.Error != "" {
		first, _, _ := strings.Cut(r.Error, "\n")
		return first
	}
	var parts []string
	add := func(n int, what string) {
		if n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, what))
		}
	}
	add(r.Counts.Joined, "joined")
	add(r.Counts.Left, "left")
	add(r.Counts.Changed, "changed")
	add(r.Counts.NewGroups+r.Counts.GoneGroups+r.Counts.ChangedGroups, "groups")
	add(r.Counts.OtherDevices, "devices")
	add(r.Counts.Rejected, "rejected")
	if r.Revision > 0 {
		parts = append(parts, fmt.Sprintf("revision %d", r.Revision))
	}
	if parts == nil {
		return "nothing to change"
	}
	return strings.Join(parts, ", ")
}

// ofRun is a command about one run.
func (a *app) ofRun(
	use, short, example string,
	work func(context.Context, *client.Client, int64) (*answer.Run, error),
) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Example: example, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil || id < 1 {
				return &usageError{fmt.Sprintf("%q is not the number of a run; gatemap intake list shows them", args[0])}
			}
			c, err := a.service()
			if err != nil {
				return err
			}
			run, err := work(cmd.Context(), c, id)
			if err != nil {
				return err
			}
			return a.showRun(cmd.Context(), c, run)
		},
	}
}

func (a *app) intakeShow() *cobra.Command {
	return a.ofRun("show RUN", "The changes of a run", "  gatemap intake show 12 -o csv",
		func(ctx context.Context, c *client.Client, id int64) (*answer.Run, error) { return c.Run(ctx, id) })
}

func (a *app) intakeCommit() *cobra.Command {
	var confirm bool
	var version int
	cmd := a.ofRun(
		"commit RUN",
		"Commit a waiting run, at the version that you have seen",
		"  gatemap intake commit 12 --version 1\n  gatemap intake commit 13 --version 2 --confirm",
		func(ctx context.Context, c *client.Client, id int64) (*answer.Run, error) {
			return c.CommitRun(ctx, id, version, confirm)
		},
	)
	cmd.Flags().IntVar(&version, "version", 0, "version of the run, as its preview shows it")
	_ = cmd.MarkFlagRequired("version")
	cmd.Flags().BoolVar(&confirm, "confirm", false, "commit even if the removal limit holds the run")
	return cmd
}

func (a *app) intakeDiscard() *cobra.Command {
	return a.ofRun("discard RUN", "Discard a waiting run", "  gatemap intake discard 12",
		func(ctx context.Context, c *client.Client, id int64) (*answer.Run, error) {
			return c.DiscardRun(ctx, id)
		})
}

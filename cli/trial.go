package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/mapfile"
	"gatemap/stage"
)

func (a *app) trial() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "trial",
		Short: "Stage changes, see what they would do, and commit them",
		Long: `A trial is a named set of staged changes. Its outcome shows who gains and who loses what,
and which findings and guarantees change, before anything is committed. Several people
can work on several trials at a time. With a map folder (--map) trials are stored in the
folder, and a commit writes its files. reach, why, who and the other questions take
--trial NAME, and then answer as if the trial were in force.`,
		Example: `  gatemap trial begin engineer --note "Ilse becomes an engineer"
  gatemap trial set engineer ilse.okonjo title "Dome engineer"
  gatemap trial leave engineer night-assistants ilse.okonjo
  gatemap trial outcome engineer
  gatemap trial commit engineer --version 2 --reason "From Monday on"`,
		Args: cobra.NoArgs,
	}
	cmd.AddCommand(
		a.trialBegin(),
		a.trialFrom(),
		a.trialList(),
		a.trialShow(),
		a.trialWrites(),
		a.trialRemove(),
		a.trialJoin(),
		a.trialLeave(),
		a.trialSet(),
		a.trialGroup(),
		a.trialLine(),
		a.trialPart(),
		a.trialWithdraw(),
		a.trialChanges(),
		a.trialUnstage(),
		a.trialOutcome(),
		a.trialCommit(),
	)
	return cmd
}

// onTrial runs work that ends with a trial, and shows that.
func (a *app) onTrial(cmd *cobra.Command, work func(context.Context, answer.Changer) (*answer.Trial, error)) error {
	return onChanger(a, cmd, work, a.trialText, trialTable)
}

// withService runs work with the service and shows the result.
func withService[T any](
	a *app,
	cmd *cobra.Command,
	work func(context.Context, *client.Client) (*T, error),
	text func(*T) error,
	table func(*T) [][]string,
) error {
	c, err := a.service()
	if err != nil {
		return err
	}
	got, err := work(cmd.Context(), c)
	if err != nil {
		return err
	}
	return present(a, got, text, table)
}

// onChanger runs work where changes are staged, a service or a folder, and shows the result.
func onChanger[T any](
	a *app,
	cmd *cobra.Command,
	work func(context.Context, answer.Changer) (*T, error),
	text func(*T) error,
	table func(*T) [][]string,
	markdown ...func(*T) error,
) error {
	c, err := a.workplace(cmd.Context())
	if err != nil {
		return err
	}
	got, err := work(cmd.Context(), c)
	if err != nil {
		return err
	}
	return present(a, got, text, table, markdown...)
}

func (a *app) trialBegin() *cobra.Command {
	var note string
	cmd := &cobra.Command{
		Use: "begin TRIAL", Short: "Begin an empty trial",
		Example: `  gatemap trial begin season --note "The visitors leave"`, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.onTrial(cmd, func(ctx context.Context, c answer.Changer) (*answer.Trial, error) {
				return c.BeginTrial(ctx, args[0], note, nil)
			})
		},
	}
	cmd.Flags().StringVar(&note, "note", "", "a note, for people")
	return cmd
}

func (a *app) trialFrom() *cobra.Command {
	var note string
	cmd := &cobra.Command{
		Use: "from TRIAL DIR", Short: "Begin a trial from the differences of a map folder",
		Long: `Compares the files of a map folder with those of the map in force, and begins a trial
with the differences, one change for each file. Records that come from sources are not
compared: they come in by intake.`,
		Example: "  gatemap export ./observatory\n  $EDITOR observatory/systems/archive.yaml\n" +
			"  gatemap trial from archive-rights ./observatory",
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			list, err := mapfile.Files(os.DirFS(args[1]))
			if err != nil {
				return err
			}
			files := map[string]string{}
			for _, f := range list {
				files[f.Path] = string(f.Content)
			}
			return a.onTrial(cmd, func(ctx context.Context, c answer.Changer) (*answer.Trial, error) {
				return c.BeginTrial(ctx, args[0], note, files)
			})
		},
	}
	cmd.Flags().StringVar(&note, "note", "", "a note, for people")
	return cmd
}

func (a *app) trialList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "The open trials", Example: "  gatemap trial list -o csv", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return onChanger(
				a,
				cmd,
				func(ctx context.Context, c answer.Changer) (*answer.Trials, error) { return c.Trials(ctx) },
				a.trialsText,
				trialsTable,
			)
		},
	}
}

func (a *app) trialShow() *cobra.Command {
	return &cobra.Command{
		Use: "show TRIAL", Short: "The staged changes of a trial", Example: "  gatemap trial show season",
		Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeArgs(a.completeTrial),
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.onTrial(
				cmd,
				func(ctx context.Context, c answer.Changer) (*answer.Trial, error) { return c.Trial(ctx, args[0]) },
			)
		},
	}
}

func (a *app) trialRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove TRIAL", Short: "Remove a trial without committing it", Example: "  gatemap trial remove season",
		Args: cobra.ExactArgs(1), ValidArgsFunction: a.completeArgs(a.completeTrial),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.workplace(cmd.Context())
			if err == nil {
				err = c.RemoveTrial(cmd.Context(), args[0])
			}
			return err
		},
	}
}

func (a *app) trialUnstage() *cobra.Command {
	return &cobra.Command{
		Use: "unstage TRIAL NUMBER", Short: "Remove one staged change from a trial",
		Example: "  gatemap trial unstage season 2", Args: cobra.ExactArgs(2),
		ValidArgsFunction: a.completeArgs(a.completeTrial),
		RunE: func(cmd *cobra.Command, args []string) error {
			n, err := strconv.Atoi(args[1])
			if err != nil || n < 1 {
				return &usageError{
					fmt.Sprintf("%q is not the number of a change; gatemap trial show %s shows them", args[1], args[0]),
				}
			}
			return a.onTrial(
				cmd,
				func(ctx context.Context, c answer.Changer) (*answer.Trial, error) { return c.Unstage(ctx, args[0], n) },
			)
		},
	}
}

func (a *app) trialWithdraw() *cobra.Command {
	var object string
	cmd := &cobra.Command{
		Use: "withdraw TRIAL USER SYSTEM RIGHT", Short: "Remove what lines give to a user by name",
		Long: `Stages that lines no longer give an entitlement to a user by name. If the user holds it
through a group, nothing is staged: the error names the group and what can be done instead.`,
		Example: "  gatemap trial withdraw season thea.ondracek archive frames:purge --on /raw", Args: cobra.ExactArgs(4),
		ValidArgsFunction: a.completeArgs(a.completeTrial, a.names(answer.KindUser), a.names(answer.KindSystem), a.rights(2)),
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.onTrial(cmd, func(ctx context.Context, c answer.Changer) (*answer.Trial, error) {
				return c.Withdraw(ctx, args[0], args[1], args[2], args[3], object)
			})
		},
	}
	a.onFlag(cmd, &object, 2)
	return cmd
}

func (a *app) trialChanges() *cobra.Command {
	return &cobra.Command{
		Use: "changes TRIAL FILE", Short: "Stage the changes that a JSON file lists",
		Long: `Stages a list of changes, all of them or none. The file is a JSON list in the form of
"changes" in gatemap trial show -o json. - reads it from standard input.`,
		Example: `  echo '[{"do": "join", "group": "night-crew", "member": "teo.marchetti"}]' | gatemap trial changes season -`,
		Args:    cobra.ExactArgs(2), ValidArgsFunction: a.completeArgs(a.completeTrial),
		RunE: func(cmd *cobra.Command, args []string) error {
			var raw []byte
			var err error
			if args[1] == "-" {
				raw, err = io.ReadAll(a.in)
			} else {
				raw, err = os.ReadFile(args[1])
			}
			if err != nil {
				return err
			}
			var staged []answer.Staged
			read := json.NewDecoder(bytes.NewReader(raw))
			read.DisallowUnknownFields()
			err = read.Decode(&staged)
			if err == nil && read.More() {
				err = errors.New("there is more after the list")
			}
			if err != nil {
				return &usageError{fmt.Sprintf("%s is not a list of changes: %v", args[1], err)}
			}
			changes := make([]stage.Change, len(staged))
			for i := range staged {
				changes[i] = staged[i].Change
			}
			return a.stage(cmd, args[0], changes...)
		},
	}
}

// stage stages changes and shows the trial.
func (a *app) stage(cmd *cobra.Command, trial string, changes ...stage.Change) error {
	return a.onTrial(cmd, func(ctx context.Context, c answer.Changer) (*answer.Trial, error) {
		return c.Stage(ctx, trial, changes...)
	})
}

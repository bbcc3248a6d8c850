package cli

import (
	"cmp"
	"context"
	"fmt"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
)

func (a *app) accounts() *cobra.Command {
	var staged bool
	var trial string
	cmd := &cobra.Command{
		Use:   "accounts DIRECTORY",
		Short: "Who needs an account at a directory server, is to be moved there, or has left",
		Long: `Compares the accounts of a directory with the people in sources that feed it, such as a
personnel list: who is there and has no account gets one, who is in another place is moved,
and who has left is switched off. The source of the directory says what new accounts are to
be (accounts), and that they are written (write: users).

Nothing is changed: --stage begins a trial with all of it. See who gains and loses what by it
(trial outcome), and what is written to the server (trial writes), and commit it. The commit
prints the first passwords of new accounts, once.`,
		Example: `  gatemap accounts cindervale
  gatemap accounts cindervale --stage
  gatemap trial writes accounts-cindervale
  gatemap trial commit accounts-cindervale --version 2 --reason "Those who begin in July"
  gatemap accounts cindervale --stage --as july`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeDirectory,
		RunE: func(cmd *cobra.Command, args []string) error {
			if trial = cmp.Or(trial, "accounts-"+args[0]); !staged {
				trial = ""
			}
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Accounts, error) {
				plan, err := c.Accounts(ctx, args[0])
				if err == nil && trial != "" {
					err = a.stageAccounts(ctx, c, plan, trial)
				}
				return plan, err
			}, func(plan *answer.Accounts) error { return a.accountsText(plan, trial) }, accountsTable)
		},
	}
	cmd.Flags().BoolVar(&staged, "stage", false, "begin a trial with what is to become of the accounts")
	cmd.Flags().StringVar(&trial, "as", "", "the name of the trial (default: accounts-DIRECTORY)")
	return cmd
}

// stageAccounts begins a trial with a plan; where it cannot be staged there is no trial.
func (a *app) stageAccounts(ctx context.Context, c *client.Client, plan *answer.Accounts, trial string) error {
	changes := plan.Changes()
	if len(changes) == 0 {
		return nil
	}
	if _, err := c.BeginTrial(ctx, trial, "Accounts of "+plan.Directory, nil); err != nil {
		return err
	}
	if _, err := c.Stage(ctx, trial, changes...); err != nil {
		if left := c.RemoveTrial(ctx, trial); left != nil {
			return fmt.Errorf("%w; the trial %s is left without changes: %w", err, trial, left)
		}
		return err
	}
	return nil
}

func (a *app) accountsText(plan *answer.Accounts, trial string) error {
	for _, x := range plan.Accounts {
		who := x.Person
		if x.DisplayName != "" {
			who = fmt.Sprintf("%s (%s)", x.DisplayName, x.Person)
		}
		switch x.Do {
		case answer.AccountMade:
			a.print("create  %s  for %s, %s\n", a.paint(strong, x.User), who, x.Why)
		case answer.AccountMoved:
			a.print("move    %s  of %s, %s\n", a.paint(strong, x.User), who, x.Why)
		case answer.AccountOff:
			a.print("off     %s  of %s: %s\n", a.paint(strong, x.User), who, x.Why)
		default:
			a.print("none    for %s: %s\n", who, x.Why)
		}
	}
	changes := len(plan.Changes())
	switch {
	case len(plan.Accounts) == 0:
		a.print("The accounts of %s are as they are to be.\n", plan.Directory)
	case trial == "" && changes > 0:
		a.print("\nStage this:  gatemap accounts %s --stage\n", plan.Directory)
	case changes > 0:
		a.print("\nStaged in the trial %s. See what it writes:  gatemap trial writes %s\n", trial, trial)
	}
	return nil
}

func accountsTable(plan *answer.Accounts) [][]string {
	rows := [][]string{{"do", "person", "display_name", "user", "namesake", "why"}}
	for _, x := range plan.Accounts {
		rows = append(rows, []string{string(x.Do), x.Person, x.DisplayName, x.User, x.Namesake, x.Why})
	}
	return rows
}

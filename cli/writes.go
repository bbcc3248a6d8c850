package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
)

func (a *app) trialWrites() *cobra.Command {
	return &cobra.Command{
		Use: "writes TRIAL", Short: "What the commit of a trial first writes where records come from",
		Long: `What the commit of a trial first writes where records come from: to directory servers as LDIF
(RFC 2849), to service providers as requests (RFC 7644).

A directory whose source says write has its records changed where they come from, before the
revision is made. The servers are asked how the entries are now: one that is not what the map
has any more is an error here, and at the commit.`,
		Example: "  gatemap trial writes season\n  gatemap trial writes season -o json", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.completeArgs(a.completeTrial),
		RunE: func(cmd *cobra.Command, args []string) error {
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Writes, error) {
				return c.TrialWrites(ctx, args[0])
			}, a.writesText, writesTable)
		},
	}
}

func (a *app) writesText(w *answer.Writes) error {
	if len(w.Writes) == 0 {
		a.print("The commit of %s writes nothing where records come from.\n", w.Trial)
	}
	server := ""
	for _, x := range w.Writes {
		if at := x.Directory + " at " + x.Server; at != server {
			server = at
			a.print("%s\n", a.paint(strong, at))
		}
		if x.Text == "" {
			a.print("\n# %s: it is so already\n", x.For)
			continue
		}
		a.print("\n# %s\n", x.For)
		if x.Password {
			a.print("# It gets a first password, which who commits sees once.\n")
		}
		a.print("%s", x.Text)
	}
	for i, words := range w.Stays {
		if i == 0 {
			a.print(
				"\n%s\n",
				a.paint(strong, "Not written: change it where it comes from, or the next intake restores what is there"),
			)
		}
		a.print("  %s\n", words)
	}
	return nil
}

func writesTable(w *answer.Writes) [][]string {
	rows := [][]string{{"directory", "server", "entry", "for", "text"}}
	for _, x := range w.Writes {
		rows = append(rows, []string{x.Directory, x.Server, x.Entry, x.For, strings.TrimSpace(x.Text)})
	}
	return rows
}

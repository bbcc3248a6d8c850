package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/service/sourcecheck"
)

func (a *app) directory() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "directory",
		Short: "The directories and tests of their sources",
		Example: `  gatemap directory list
  gatemap directory test cindervale --user ilse.okonjo
  gatemap directory token club`,
	}
	cmd.AddCommand(a.directoryList(), a.directoryTest(), a.directoryToken())
	return cmd
}

func (a *app) directoryList() *cobra.Command {
	return &cobra.Command{
		Use:     "list",
		Short:   "The directories and their sources",
		Example: "  gatemap directory list -o csv",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			all, err := c.Directories(cmd.Context())
			if err != nil {
				return err
			}
			return present(a, all, a.directoriesText, directoriesTable)
		},
	}
}

func directoriesTable(all *answer.Directories) [][]string {
	rows := [][]string{{"directory", "source", "follow", "feeds", "users", "groups", "devices"}}
	for _, d := range all.Directories {
		rows = append(
			rows,
			[]string{d.Name, d.Source, d.Follow, d.Feeds, fmt.Sprint(d.Users), fmt.Sprint(d.Groups), fmt.Sprint(d.Devices)},
		)
	}
	return rows
}

func (a *app) directoriesText(all *answer.Directories) error {
	width := widest(all.Directories, func(d answer.Directory) string { return d.Name })
	for _, d := range all.Directories {
		a.print("%s  %s  %s\n", a.paint(strong, pad(d.Name, width)), pad(d.Source, 4), directoryWords(&d))
	}
	return nil
}

func directoryWords(d *answer.Directory) string {
	parts := []string{
		fmt.Sprintf(
			"%s, %s, %s",
			count(d.Users, "user", "users"),
			count(d.Groups, "group", "groups"),
			count(d.Devices, "device", "devices"),
		),
	}
	if d.Feeds != "" {
		parts = []string{fmt.Sprintf("%s for the accounts of %s", count(d.Users, "record", "records"), d.Feeds)}
	}
	switch d.Follow {
	case "stream":
		parts = append(parts, "changes stream in")
	case "poll":
		parts = append(parts, "asked for changes")
	}
	if d.Latest != nil {
		parts = append(parts, fmt.Sprintf("run %d %s", d.Latest.ID, d.Latest.State))
	}
	return strings.Join(parts, "; ")
}

func (a *app) directoryTest() *cobra.Command {
	var of sourcecheck.Tested
	cmd := &cobra.Command{
		Use:   "test DIRECTORY",
		Short: "Test the source of a directory step by step",
		Long: `Tests everything that an intake needs: address, connection, certificate, bind, bases,
filters, and how many users have each attribute. --user also shows where that user is
found, in which groups, by which of these each system gives something, and which lines
nearly name one of them. --system looks at one system alone. Nothing is changed.

The exit code is 1 if a step fails, or if the user is in no mapped group.`,
		Example: `  gatemap directory test cindervale
  gatemap directory test cindervale --user ilse.okonjo --system archive --map ./observatory`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.completeDirectory,
		RunE: func(cmd *cobra.Command, args []string) error {
			told := 0
			checked, err := a.check(cmd.Context(), args[0], of, func(s answer.Step) {
				if a.format != asJSON && a.format != asCSV {
					told++
					a.stepText(s)
				}
			})
			if err != nil {
				return err
			}
			a.failed = checked.Failed()
			return present(a, checked, func(c *answer.Checked) error {
				for _, s := range c.Steps[told:] {
					a.stepText(s)
				}
				return nil
			}, stepsTable)
		},
	}
	cmd.Flags().StringVar(&of.User, "user", "", "a user to look for")
	cmd.Flags().StringVar(&of.System, "system", "", "look at this system alone")
	_ = cmd.RegisterFlagCompletionFunc("user", a.complete(answer.KindUser))
	_ = cmd.RegisterFlagCompletionFunc("system", a.complete(answer.KindSystem))
	return cmd
}

func stepsTable(c *answer.Checked) [][]string {
	rows := [][]string{{"step", "state", "detail"}}
	for _, s := range c.Steps {
		rows = append(rows, []string{s.Name, s.State, s.Detail})
	}
	return rows
}

// check asks a folder, step by step, or a service.
func (a *app) check(
	ctx context.Context,
	named string,
	of sourcecheck.Tested,
	tell func(answer.Step),
) (*answer.Checked, error) {
	place, _, err := a.place()
	if err != nil {
		return nil, err
	}
	dir := place.value
	if dir == "" {
		c, err := a.service()
		if err != nil {
			return nil, err
		}
		return c.TestDirectory(ctx, named, of.User, of.System)
	}
	host, err := a.host(dir)
	if err != nil {
		return nil, err
	}
	return sourcecheck.Folder(ctx, dir, host, named, of, tell)
}

func (a *app) stepText(s answer.Step) {
	mark := map[string]string{"good": a.paint(green, "ok  "), "warned": a.paint(yellow, "look"),
		"failed": a.paint(red, "no  ")}[s.State]
	a.print("%s  %s  %s\n", mark, pad(s.Name, 11), strings.ReplaceAll(s.Detail, "\n", "\n"+strings.Repeat(" ", 19)))
}

func (a *app) directoryToken() *cobra.Command {
	return &cobra.Command{
		Use:   "token DIRECTORY",
		Short: "Create the token that pushes records to a directory (SCIM)",
		Long: `Creates the token with which another program pushes users and groups to a directory
that has source: {scim: {}}, and prints it, only once. It gives access to nothing else.
The token before it stops working.`,
		Example: "  gatemap directory token club",
		Args:    cobra.ExactArgs(1), ValidArgsFunction: a.completeDirectory,
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			token, err := c.CreatePushToken(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			if a.format == asJSON {
				return a.writeJSON(answer.Token{Token: token})
			}
			a.print("%s\n", token)
			return nil
		},
	}
}

// completeDirectory completes names of directories of the service.
func (a *app) completeDirectory(cmd *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
	if len(args) > 0 {
		return nil, cobra.ShellCompDirectiveNoFileComp
	}
	c, err := a.service()
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	all, err := c.Directories(cmd.Context())
	if err != nil {
		return nil, cobra.ShellCompDirectiveError
	}
	var names []string
	for _, d := range all.Directories {
		names = append(names, d.Name)
	}
	return names, cobra.ShellCompDirectiveNoFileComp
}

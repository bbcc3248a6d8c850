package cli

import (
	"context"
	"encoding/json"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/stage"
)

// staging is a command that stages one change, or with --dry-run says what that would
// do and stages nothing. completed completes the arguments after the trial.
func (a *app) staging(
	use, short, example string, args cobra.PositionalArgs, of func([]string) (stage.Change, error),
	completed ...cobra.CompletionFunc,
) *cobra.Command {
	var dryRun bool
	cmd := &cobra.Command{
		Use: use, Short: short, Example: example, Args: args,
		ValidArgsFunction: a.completeArgs(append([]cobra.CompletionFunc{a.completeTrial}, completed...)...),
		RunE: func(cmd *cobra.Command, args []string) error {
			change, err := of(args)
			if err != nil {
				return err
			}
			if !dryRun {
				return a.stage(cmd, args[0], change)
			}
			return onChanger(a, cmd, func(ctx context.Context, c answer.Changer) (*answer.Impact, error) {
				return c.Impact(ctx, args[0], change, situation.Situation{})
			}, a.impactText, func(i *answer.Impact) [][]string { return outcomeTable(&i.Outcome) })
		},
	}
	cmd.Flags().BoolVar(&dryRun, "dry-run", false, "show what the change would do, and stage nothing")
	return cmd
}

func (a *app) trialJoin() *cobra.Command {
	return a.staging("join TRIAL GROUP MEMBER", "Add a user, group or device to a group",
		"  gatemap trial join season night-crew teo.marchetti", cobra.ExactArgs(3),
		func(args []string) (stage.Change, error) {
			return stage.Change{Do: stage.Join, Group: args[1], Member: args[2]}, nil
		}, a.names(answer.KindGroup), a.names(""))
}

func (a *app) trialLeave() *cobra.Command {
	return a.staging("leave TRIAL GROUP MEMBER", "Remove a user, group or device from a group",
		"  gatemap trial leave season night-assistants ilse.okonjo", cobra.ExactArgs(3),
		func(args []string) (stage.Change, error) {
			return stage.Change{Do: stage.Leave, Group: args[1], Member: args[2]}, nil
		}, a.names(answer.KindGroup), a.membersOf)
}

// fixed completes with fixed texts.
func fixed(texts []string) cobra.CompletionFunc {
	return cobra.FixedCompletions(texts, cobra.ShellCompDirectiveNoFileComp)
}

// membersOf completes with the users in the group that an argument names.
func (a *app) membersOf(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	asker, err := a.asker(cmd.Context())
	if err != nil {
		return nil, noFiles
	}
	g, err := asker.Group(cmd.Context(), args[1])
	if err != nil {
		return nil, noFiles
	}
	m, err := asker.Members(cmd.Context(), args[1])
	if err != nil {
		return nil, noFiles
	}
	names := g.Groups
	for _, x := range m.Members {
		if x.How == string(directory.Direct) {
			names = append(names, x.User)
		}
	}
	var found []string
	for _, full := range names {
		_, own, _ := strings.Cut(full, "/")
		found = append(found, beginning([]string{own, full}, typed)...)
	}
	return found, noFiles
}

// groupValue completes the value of a field of a group that has fixed values.
func (a *app) groupValue(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	values := map[string][]string{
		"kind": directory.Kind("").Values(), "members_from": directory.MembersFrom("").Values(),
		"usable_in": directory.UsableIn("").Values(),
	}[args[2]]
	if args[2] == "host" {
		return a.names(answer.KindSystem)(cmd, args, typed)
	}
	return beginning(values, typed), noFiles
}

// value reads a value that is written as YAML, of which JSON is a part; a plain word
// is a piece of text.
func value(text string) (json.RawMessage, error) {
	raw, err := mapfile.JSON(text)
	if err != nil {
		return nil, &usageError{err.Error()}
	}
	return raw, nil
}

func (a *app) trialSet() *cobra.Command {
	return a.staging("set TRIAL USER ATTRIBUTE [VALUE]", "Set an attribute of a user; without VALUE remove it",
		"  gatemap trial set season ilse.okonjo title \"Dome engineer\"\n"+
			"  gatemap trial set season teo.marchetti active false\n"+
			"  gatemap trial set season teo.marchetti remoteAccess",
		cobra.RangeArgs(3, 4), func(args []string) (stage.Change, error) {
			c := stage.Change{Do: stage.SetUser, User: args[1], Attribute: args[2]}
			if len(args) == 4 {
				var err error
				if c.Value, err = value(args[3]); err != nil {
					return c, err
				}
			}
			return c, nil
		}, a.names(answer.KindUser))
}

func (a *app) trialGroup() *cobra.Command {
	cmd := &cobra.Command{
		Use: "group", Short: "Create, describe, rename or remove a group", Args: cobra.NoArgs,
		Example: "  gatemap trial group create season cindervale/dawn-crew\n" +
			"  gatemap trial group set season dawn-crew rule 'title eq \"Night assistant\"'",
	}
	cmd.AddCommand(
		a.staging("create TRIAL DIRECTORY/GROUP [FIELDS]", "Create a group",
			"  gatemap trial group create season cindervale/dawn-crew '{description: Who opens at dawn, usable_in: own}'",
			cobra.RangeArgs(2, 3), func(args []string) (stage.Change, error) {
				c := stage.Change{Do: stage.CreateGroup, Group: args[1]}
				if len(args) == 3 {
					var err error
					if c.Value, err = value(args[2]); err != nil {
						return c, err
					}
				}
				return c, nil
			}),
		a.staging("set TRIAL GROUP FIELD [VALUE]", "Set a field of a group: "+strings.Join(stage.GroupFields, ", "),
			"  gatemap trial group set season astronomers rule 'title ew \"astronomer\"' --dry-run\n"+
				"  gatemap trial group set season night-crew managers '{users: [greta.falk]}'",
			cobra.RangeArgs(3, 4), func(args []string) (stage.Change, error) {
				c := stage.Change{Do: stage.SetGroup, Group: args[1], Field: args[2]}
				if len(args) == 4 {
					text := args[3]
					if args[2] == "rule" || args[2] == "description" {
						text = mapfile.TextValue(text).String()
					}
					var err error
					if c.Value, err = value(text); err != nil {
						return c, err
					}
				}
				return c, nil
			}, a.names(answer.KindGroup), fixed(stage.GroupFields), a.groupValue),
		a.staging("rename TRIAL GROUP NAME", "Rename a group, wherever it is named",
			"  gatemap trial group rename season chart-editors chart-makers", cobra.ExactArgs(3),
			func(args []string) (stage.Change, error) {
				return stage.Change{Do: stage.RenameGroup, Group: args[1], To: args[2]}, nil
			}, a.names(answer.KindGroup)),
		a.staging("remove TRIAL GROUP", "Remove a group", "  gatemap trial group remove season chart-editors",
			cobra.ExactArgs(2), func(args []string) (stage.Change, error) {
				return stage.Change{Do: stage.RemoveGroup, Group: args[1]}, nil
			}, a.names(answer.KindGroup)),
	)
	return cmd
}

func (a *app) impactText(i *answer.Impact) error {
	a.print("%s\n", a.paint(strong, i.Sentence))
	if len(i.Passes) > 0 {
		a.print("  passes %s\n", strings.Join(i.Passes, "; "))
	}
	a.print("\n")
	if err := a.outcomeText(&i.Outcome); err != nil {
		return err
	}
	a.turnedText(i.Turned)
	a.print("\nNothing is staged.\n")
	return nil
}

package cli

import (
	"context"
	"encoding/json"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/stage"
)

// staging is a command that stages one change, or with --look says what that would
// do and stages nothing.
func (a *app) staging(use, short, example string, args cobra.PositionalArgs, of func([]string) (stage.Change, error)) *cobra.Command {
	var look bool
	cmd := &cobra.Command{
		Use: use, Short: short, Example: example, Args: args, ValidArgsFunction: a.completeTrial,
		RunE: func(cmd *cobra.Command, args []string) error {
			change, err := of(args)
			if err != nil {
				return err
			}
			if !look {
				return a.stage(cmd, args[0], change)
			}
			return withClient(a, cmd, a.bench, func(ctx context.Context, c *client.Client) (*answer.Impact, error) {
				return c.Impact(ctx, args[0], change, situation.Situation{})
			}, a.impactText, func(i *answer.Impact) [][]string { return outcomeTable(&i.Outcome) })
		},
	}
	cmd.Flags().BoolVar(&look, "look", false, "say what the change would do, and stage nothing")
	return cmd
}

func (a *app) trialJoin() *cobra.Command {
	return a.staging("join TRIAL GROUP MEMBER", "Add a user, group or device to a group", "  gatemap trial join season night-crew teo.marchetti", cobra.ExactArgs(3), func(args []string) (stage.Change, error) {
		return stage.Change{Do: stage.Join, Group: args[1], Member: args[2]}, nil
	})
}

func (a *app) trialLeave() *cobra.Command {
	return a.staging("leave TRIAL GROUP MEMBER", "Take a user, group or device out of a group", "  gatemap trial leave season night-assistants ilse.okonjo", cobra.ExactArgs(3), func(args []string) (stage.Change, error) {
		return stage.Change{Do: stage.Leave, Group: args[1], Member: args[2]}, nil
	})
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
	return a.staging("set TRIAL USER ATTRIBUTE [VALUE]", "Set an attribute of a user, or take it away",
		"  gatemap trial set season ilse.okonjo title \"Dome engineer\"\n  gatemap trial set season teo.marchetti active false\n  gatemap trial set season teo.marchetti remoteAccess", cobra.RangeArgs(3, 4), func(args []string) (stage.Change, error) {
			c := stage.Change{Do: stage.SetUser, User: args[1], Attribute: args[2]}
			if len(args) == 4 {
				var err error
				if c.Value, err = value(args[3]); err != nil {
					return c, err
				}
			}
			return c, nil
		})
}

func (a *app) trialGroup() *cobra.Command {
	cmd := &cobra.Command{
		Use: "group", Short: "Create, describe, rename or remove a group", Args: cobra.NoArgs,
		Example: "  gatemap trial group create season cindervale/dawn-crew\n  gatemap trial group set season dawn-crew rule 'title eq \"Night assistant\"'",
	}
	cmd.AddCommand(
		a.staging("create TRIAL DIRECTORY/GROUP [FIELDS]", "Create a group", "  gatemap trial group create season cindervale/dawn-crew '{description: Who opens at dawn, usable_in: own}'", cobra.RangeArgs(2, 3), func(args []string) (stage.Change, error) {
			c := stage.Change{Do: stage.CreateGroup, Group: args[1]}
			if len(args) == 3 {
				var err error
				if c.Value, err = value(args[2]); err != nil {
					return c, err
				}
			}
			return c, nil
		}),
		a.staging("set TRIAL GROUP FIELD [VALUE]", "Set description, kind, members_from, usable_in, host, rule, managers or expect of a group", "  gatemap trial group set season astronomers rule 'title ew \"astronomer\"' --look", cobra.RangeArgs(3, 4), func(args []string) (stage.Change, error) {
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
		}),
		a.staging("rename TRIAL GROUP NAME", "Rename a group, wherever it is named", "  gatemap trial group rename season chart-editors chart-makers", cobra.ExactArgs(3), func(args []string) (stage.Change, error) {
			return stage.Change{Do: stage.RenameGroup, Group: args[1], To: args[2]}, nil
		}),
		a.staging("remove TRIAL GROUP", "Remove a group", "  gatemap trial group remove season chart-editors", cobra.ExactArgs(2), func(args []string) (stage.Change, error) {
			return stage.Change{Do: stage.DropGroup, Group: args[1]}, nil
		}),
	)
	return cmd
}

func (a *app) trialEntry() *cobra.Command {
	cmd := &cobra.Command{
		Use: "entry", Short: "Add, change, move or remove a line of a document: a mapping, rule, role, resource, network, guarantee …",
		Long: `Changes one entry of a list, or of a set of keys, in a document of the map. DOCUMENT
is the name of a system, or map, guarantees, or "directory NAME". LIST is the key under
which the list stands; further down it is written as in "shares > logs > folders". ENTRY
is the entry's name, or its number from 1.`,
		Example: `  gatemap trial entry add season archive mappings '{groups: [night-crew], role: reader, object: /}'
  gatemap trial entry move season core-net rules "nobody pings" --before "crew to control" --look
  gatemap trial entry add season map networks '[192.0.2.0/24]' --key annex
  gatemap trial entry remove season guarantees guarantees "crew reads by night"`,
		Args: cobra.NoArgs,
	}
	var before, after, key string
	beside := func(c *cobra.Command) *cobra.Command {
		c.Flags().StringVar(&before, "before", "", "the entry before which it comes")
		c.Flags().StringVar(&after, "after", "", "the entry after which it comes; without both it comes last")
		return c
	}
	add := beside(a.staging("add TRIAL DOCUMENT LIST VALUE", "Add an entry", `  gatemap trial entry add season archive mappings '{groups: [night-crew], role: reader, object: /}'`, cobra.ExactArgs(4), func(args []string) (stage.Change, error) {
		v, err := value(args[3])
		return stage.Change{Do: stage.AddEntry, Document: args[1], List: args[2], Entry: key, Value: v, Before: before, After: after}, err
	}))
	add.Flags().StringVar(&key, "key", "", "the new key, where a set of keys is added to")
	cmd.AddCommand(add,
		a.staging("change TRIAL DOCUMENT LIST ENTRY VALUE", "Change an entry", `  gatemap trial entry change season archive mappings 1 '{groups: [night-crew], role: curator, object: /}'`, cobra.ExactArgs(5), func(args []string) (stage.Change, error) {
			v, err := value(args[4])
			return stage.Change{Do: stage.ChangeEntry, Document: args[1], List: args[2], Entry: args[3], Value: v}, err
		}),
		beside(a.staging("move TRIAL DOCUMENT LIST ENTRY", "Move an entry to another place in its order", `  gatemap trial entry move season core-net rules "nobody pings" --before "crew to control"`, cobra.ExactArgs(4), func(args []string) (stage.Change, error) {
			return stage.Change{Do: stage.MoveEntry, Document: args[1], List: args[2], Entry: args[3], Before: before, After: after}, nil
		})),
		a.staging("remove TRIAL DOCUMENT LIST ENTRY", "Remove an entry", `  gatemap trial entry remove season core-net rules "nobody pings"`, cobra.ExactArgs(4), func(args []string) (stage.Change, error) {
			return stage.Change{Do: stage.DropEntry, Document: args[1], List: args[2], Entry: args[3]}, nil
		}),
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

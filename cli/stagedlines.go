package cli

import (
	"encoding/json"
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/stage"
)

// places are the flags that say where a line or part comes.
type places struct{ before, after string }

func (p *places) flags(cmd *cobra.Command, thing string) *cobra.Command {
	cmd.Flags().StringVar(&p.before, "before", "", "the "+thing+" before which it comes")
	cmd.Flags().StringVar(&p.after, "after", "", "the "+thing+" after which it comes; without both it comes last")
	cmd.MarkFlagsMutuallyExclusive("before", "after")
	return cmd
}

// switches are the commands that switch a line or part off and on.
func (a *app) switches(
	use, what, example string, change func(args []string) stage.Change, completed ...cobra.CompletionFunc,
) []*cobra.Command {
	to := func(to, short string) *cobra.Command {
		return a.staging(to+" "+use, short, fmt.Sprintf(example, to), cobra.ExactArgs(4),
			func(args []string) (stage.Change, error) {
				c := change(args)
				c.Value = json.RawMessage(strconv.Quote(to))
				return c, nil
			}, completed...)
	}
	return []*cobra.Command{
		to("off", "Switch "+what+" off: it keeps its place and has no effect"),
		to("on", "Switch "+what+" on again"),
	}
}

func (a *app) trialLine() *cobra.Command {
	cmd := &cobra.Command{
		Use: "line", Short: "Add, change, move, remove or switch off a line of a system: a mapping, rule, policy, limit …",
		Long: `Changes one line of a system. LIST is the key of its list, such as mappings or rules; a list
further down is written as in "shares > logs > door". LINE is the name of the line, or its number
from 1. gatemap system lines SYSTEM lists the lines.`,
		Example: `  gatemap trial line add season archive mappings '{groups: [night-crew], role: reader, object: /}'
  gatemap trial line move season core-net rules "nobody pings" --before instruments --dry-run
  gatemap trial line remove season core-net rules "nobody pings"
  gatemap trial line off season core-net rules "nobody pings"`,
		Args: cobra.NoArgs,
	}
	var at places
	system, lists, lines := a.names(answer.KindSystem), a.lists(1), a.lines(1, 2)
	cmd.AddCommand(
		at.flags(a.staging("add TRIAL SYSTEM LIST VALUE", "Add a line",
			`  gatemap trial line add season archive mappings '{groups: [night-crew], role: reader, object: /}'`,
			cobra.ExactArgs(4), func(args []string) (stage.Change, error) {
				v, err := value(args[3])
				return stage.Change{Do: stage.AddLine, System: args[1], List: args[2], Value: v, Before: at.before,
					After: at.after}, err
			}, system, lists), "line"),
		a.staging("change TRIAL SYSTEM LIST LINE VALUE", "Change a line",
			`  gatemap trial line change season archive mappings 1 '{groups: [night-crew], role: curator, object: /}'`,
			cobra.ExactArgs(5), func(args []string) (stage.Change, error) {
				v, err := value(args[4])
				return stage.Change{Do: stage.ChangeLine, System: args[1], List: args[2], Line: args[3], Value: v}, err
			}, system, lists, lines),
		at.flags(a.staging("move TRIAL SYSTEM LIST LINE", "Move a line to another place in its order",
			`  gatemap trial line move season core-net rules "nobody pings" --before instruments`, cobra.ExactArgs(4),
			func(args []string) (stage.Change, error) {
				return stage.Change{Do: stage.MoveLine, System: args[1], List: args[2], Line: args[3], Before: at.before,
					After: at.after}, nil
			}, system, lists, lines), "line"),
		a.staging("remove TRIAL SYSTEM LIST LINE", "Remove a line",
			`  gatemap trial line remove season core-net rules "nobody pings"`, cobra.ExactArgs(4),
			func(args []string) (stage.Change, error) {
				return stage.Change{Do: stage.RemoveLine, System: args[1], List: args[2], Line: args[3]}, nil
			}, system, lists, lines),
	)
	cmd.AddCommand(a.switches("TRIAL SYSTEM LIST LINE", "a line",
		`  gatemap trial line %s season core-net rules "nobody pings"`,
		func(args []string) stage.Change {
			return stage.Change{Do: stage.SwitchLine, System: args[1], List: args[2], Line: args[3]}
		}, system, lists, lines)...)
	return cmd
}

func (a *app) trialPart() *cobra.Command {
	cmd := &cobra.Command{
		Use: "part",
		Short: "Add, change, move, remove or switch off another part of a document: " +
			"a role, resource, network, window, guarantee …",
		Long: `Changes one item of a list, or of a set of keys, in a document of the map. Lines of
systems are changed with gatemap trial line. DOCUMENT is the name of a system, or map,
guarantees, or "directory NAME". LIST is the key of its list. PART is its
name, or its number from 1.`,
		Example: `  gatemap trial part add season map networks '[192.0.2.0/24]' --key annex
  gatemap trial part change season archive roles reader '{rights: ["frames:list"]}'
  gatemap trial part remove season guarantees guarantees "the crew writes by night"`,
		Args: cobra.NoArgs,
	}
	var at places
	var key string
	add := at.flags(a.staging("add TRIAL DOCUMENT LIST VALUE", "Add a part",
		`  gatemap trial part add season map networks '[192.0.2.0/24]' --key annex`, cobra.ExactArgs(4),
		func(args []string) (stage.Change, error) {
			v, err := value(args[3])
			return stage.Change{Do: stage.AddPart, Document: args[1], List: args[2], Part: key, Value: v, Before: at.before,
				After: at.after}, err
		}), "part")
	add.Flags().StringVar(&key, "key", "", "the new key, where LIST is a set of keys")
	cmd.AddCommand(add,
		a.staging("change TRIAL DOCUMENT LIST PART VALUE", "Change a part",
			`  gatemap trial part change season archive roles reader '{rights: ["frames:list"]}'`, cobra.ExactArgs(5),
			func(args []string) (stage.Change, error) {
				v, err := value(args[4])
				return stage.Change{Do: stage.ChangePart, Document: args[1], List: args[2], Part: args[3], Value: v}, err
			}),
		at.flags(a.staging("move TRIAL DOCUMENT LIST PART", "Move a part to another place in its order",
			`  gatemap trial part move season archive resources /reduced --before /raw`, cobra.ExactArgs(4),
			func(args []string) (stage.Change, error) {
				return stage.Change{Do: stage.MovePart, Document: args[1], List: args[2], Part: args[3], Before: at.before,
					After: at.after}, nil
			}), "part"),
		a.staging("remove TRIAL DOCUMENT LIST PART", "Remove a part",
			`  gatemap trial part remove season guarantees guarantees "the crew writes by night"`, cobra.ExactArgs(4),
			func(args []string) (stage.Change, error) {
				return stage.Change{Do: stage.RemovePart, Document: args[1], List: args[2], Part: args[3]}, nil
			}),
	)
	cmd.AddCommand(a.switches("TRIAL DOCUMENT LIST PART", "a product or guarantee",
		`  gatemap trial part %s season guarantees guarantees "the crew writes by night"`,
		func(args []string) stage.Change {
			return stage.Change{Do: stage.SwitchPart, Document: args[1], List: args[2], Part: args[3]}
		})...)
	return cmd
}

package cli

import (
	"github.com/spf13/cobra"

	"gatemap/answer"
)

func (a *app) adopt() *cobra.Command {
	var adopting answer.Adopting
	var trial, fresh string
	cmd := &cobra.Command{
		Use:   "adopt [SYSTEM]",
		Short: "Take what was read of a system into the map, as a trial",
		Long: `Begins a trial in which the document of a linked system says what was read of it. With
--new the map gets the document of a system that it does not have yet: it is read, and
described as it is. Accounts and groups that the map does not have come into a directory
of the system's own.

Nothing is in force before the trial is committed: look at its outcome first.`,
		Example: `  gatemap adopt sky-tools
  gatemap adopt --new frame-index --type roles --link 'postgres://gatemap@127.0.0.1:5432/frames?secret=env:GATEMAP_SECRET_FRAMES'
  gatemap trial outcome adopt-frame-index
  gatemap trial commit adopt-frame-index --version 1 --reason "as it is there"`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
	}
	flags := cmd.Flags()
	flags.StringVar(&fresh, "new", "", "the name of a system that the map does not have yet")
	flags.StringVar(&adopting.Type, "type", "", "with --new: its gate type, such as roles")
	flags.StringVar(&adopting.Link, "link", "", "with --new: how it is reached, as an address or as YAML")
	flags.StringVar(&trial, "as", "", "the name of the trial (default: adopt-SYSTEM)")
	cmd.MarkFlagsRequiredTogether("new", "type", "link")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		switch {
		case len(args) == 1 && fresh == "":
			adopting.System = args[0]
		case len(args) == 0 && fresh != "":
			adopting.System, adopting.New = fresh, true
		default:
			return &usageError{"name the system of the map that is to be adopted, or a new one with --new"}
		}
		o, err := a.workplace(cmd.Context())
		if err != nil {
			return err
		}
		t, err := o.Adopt(cmd.Context(), trial, adopting)
		if err != nil {
			return a.explain(err)
		}
		return present(a, t, a.trialText, trialTable)
	}
	return cmd
}

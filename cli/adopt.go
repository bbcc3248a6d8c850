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
		Short: "Take what is really there into the map, as a trial",
		Long: `Begins a trial in which the document of a linked system says what was read of it. --lines
takes in a part: name a line as gatemap drift does. A line of the map becomes as it is there
for those whom it names; of what is given there besides, name whom it is given to.

With --new the map gets what it does not have yet:

  a system (--type, --link): it is read, and described as it is. Accounts and groups that
  the map does not have come into a directory of the system's own.

  a directory (--directory): its server is asked what it is, where it keeps people and
  groups, by which attribute they have their names, and how it tells changes; the
  source that comes of that is checked.

Nothing is in force before the trial is committed: look at its outcome first.`,
		Example: `  gatemap adopt sky-tools
  gatemap adopt sky-tools --lines "mapping 4" --lines LIC-trial-2024
  gatemap adopt --new frame-index --type roles --link 'postgres://gatemap@127.0.0.1:5432/frames?secret=env:GATEMAP_SECRET_FRAMES'
  gatemap adopt --new dome-hosts --type hosts --link 'host://gatemap@dome1.cindervale.example?secret=file:gatemap.key&key=ssh-ed25519+AAAA…'
  gatemap adopt --new cindervale --directory 'ldaps://dir1.cindervale.example?bind=cn=gatemap,ou=services,dc=cindervale,dc=example&secret=env:GATEMAP_SECRET_DIRECTORY'
  gatemap trial outcome adopt-frame-index
  gatemap trial commit adopt-frame-index --version 1 --reason "as it is there"`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
	}
	flags := cmd.Flags()
	flags.StringVar(&fresh, "new", "", "the name of a system or directory that the map does not have yet")
	flags.StringVar(&adopting.Type, "type", "", "with --new: the gate type of a system, such as roles")
	flags.StringVar(&adopting.Link, "link", "", "with --new: how a system is reached, as an address or as YAML")
	flags.StringVar(&adopting.Directory, "directory", "", "with --new: the address of a directory's server")
	flags.StringArrayVar(&adopting.Lines, "lines", nil, "only this line of the drift, by name; can be given several times")
	flags.StringVar(&trial, "as", "", "the name of the trial (default: adopt-SYSTEM)")
	cmd.MarkFlagsRequiredTogether("type", "link")
	cmd.MarkFlagsMutuallyExclusive("link", "directory")
	cmd.MarkFlagsMutuallyExclusive("new", "lines")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if err := adoptee(&adopting, args, fresh); err != nil {
			return err
		}
		o, err := a.workplace(cmd.Context())
		if err != nil {
			return err
		}
		t, err := o.Adopt(cmd.Context(), trial, adopting)
		if err != nil {
			return a.explain(err)
		}
		return present(a, t, a.adoptedText, func(t *answer.Adopted) [][]string { return trialTable(&t.Trial) })
	}
	return cmd
}

// adoptee says what is adopted: a system of the map, or what it does not have yet.
func adoptee(adopting *answer.Adopting, args []string, fresh string) error {
	switch {
	case len(args) == 1 && fresh == "":
		adopting.System = args[0]
	case len(args) == 0 && fresh != "" && adopting.Link+adopting.Directory == "":
		return &usageError{"say how it is reached: a system with --type and --link, a directory with --directory"}
	case len(args) == 0 && fresh != "":
		adopting.System, adopting.New = fresh, adopting.Directory == ""
	default:
		return &usageError{"name the system of the map that is to be adopted, or a new one with --new"}
	}
	return nil
}

func (a *app) adoptedText(t *answer.Adopted) error {
	for _, s := range t.Steps {
		a.stepText(s)
	}
	if len(t.Steps) > 0 {
		a.print("\n")
	}
	return a.trialText(&t.Trial)
}

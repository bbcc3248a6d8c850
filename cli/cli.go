// Package cli is the command line: it turns words into calls and answers into
// text, JSON or CSV. It computes nothing itself.
package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/edge"
)

// Version is the version of the program; the build sets it.
var Version = "0.1.0"

// app is what every command shares.
type app struct {
	in       io.Reader
	out, err io.Writer

	mapDir, server, tokenFile string
	secrets                   string // folder of the secrets that a map names
	ofTrial                   string // of which questions are asked
	format                    format

	asked answer.Asker // what is asked, once it is open

	input *bufio.Reader // of the input, once some were read

	started bool // the arguments were understood
	failed  bool // the answer is a failed check
	refused bool // what was asked for is held
}

// Command is the command line, for those who describe it.
func Command() *cobra.Command { return (&app{}).root() }

// Main runs the command line and returns its exit code.
func Main(args []string, in io.Reader, out, errs io.Writer) int {
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
	defer stop()
	a := &app{in: in, out: out, err: errs}
	root := a.root()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errs)
	cmd, err := root.ExecuteContextC(ctx)
	if err == nil {
		switch {
		case a.refused:
			return edge.Refused
		case a.failed:
			return edge.Failed
		}
		return edge.Done
	}
	fmt.Fprintf(errs, "gatemap: %s\n", name.Text(err.Error()))
	code := a.exitCode(err)
	if code == edge.Usage {
		fmt.Fprintf(errs, "Try: %s --help\n", cmd.CommandPath())
	}
	return code
}

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "gatemap",
		Short: "What people can do, why, and why not",
		Long: `Gate Map holds the whole map from directory groups to what they open, and
answers for any user in any situation what they can do, why, and why not.

Questions are asked of a map folder (--map DIR, or GATEMAP_MAP) or of a running
service (--server URL, or GATEMAP_SERVER, with a token in GATEMAP_TOKEN or in the
file that --token-file names). Both give the same answers. Name one of them.

Exit codes: 0 done; 1 the answer is a failed check; 2 wrong usage or a value that
cannot be read; 3 the map cannot be loaded or the service cannot be reached; 4 no
such user, group, system or object; 5 refused: not allowed, in conflict, or held by
a limit.`,
		Example: `  gatemap demo
  gatemap reach ilse.okonjo --map demo/cindervale
  gatemap why ilse.okonjo archive frames:write --on /raw/2026 --map demo/cindervale`,
		Version:           Version,
		SilenceErrors:     true,
		SilenceUsage:      true,
		PersistentPreRunE: a.begin,
	}
	flags := root.PersistentFlags()
	flags.StringVar(&a.mapDir, "map", "", "map folder to ask")
	flags.StringVar(&a.server, "server", "", "address of the service to ask")
	flags.StringVar(&a.tokenFile, "token-file", "", "file that holds the token for the service")
	flags.StringVar(&a.secrets, "secrets", "", "folder of the secrets that the map names (default: GATEMAP_SECRETS)")
	flags.StringVar(&a.ofTrial, "trial", "", "ask as if this trial were in force")
	flags.VarP(&a.format, "output", "o",
		"output: text, json, csv or markdown; for findings and guarantees also sarif and junit")
	_ = root.MarkPersistentFlagDirname("map")
	_ = root.MarkPersistentFlagDirname("secrets")
	_ = root.RegisterFlagCompletionFunc("output", cobra.FixedCompletions(formats, cobra.ShellCompDirectiveNoFileComp))
	_ = root.RegisterFlagCompletionFunc("trial", a.completeTrial)
	root.AddCommand(
		a.reach(), a.why(), a.who(), a.members(), a.memberships(), a.compare(), a.matrix(), a.hours(), a.search(), a.group(),
		a.systemCommand(), a.rule(),
		a.findings(), a.guarantees(), standsAlone(a.difference()),
		a.reading(), a.drift(), a.adopt(), a.delivery(), a.accounts(), a.notices(),
		a.trial(), a.history(), a.revert(), a.export(), a.directory(), a.intake(),
		a.operator(), a.tokens(), a.audit(), a.backup(), standsAlone(a.restore()),
		standsAlone(a.schema()), standsAlone(a.serve()), standsAlone(a.demo()), standsAlone(a.openapi()),
	)
	return root
}

// begin sees that the call is right before anything is done: after it, errors are no
// longer wrong usage.
func (a *app) begin(cmd *cobra.Command, _ []string) error {
	for c := cmd; ; c = c.Parent() {
		if c == nil {
			if _, _, err := a.place(); err != nil {
				return err
			}
			break
		}
		if c.Annotations[asksNothing] != "" {
			break
		}
	}
	if err := configure(cmd); err != nil {
		return err
	}
	if err := cmd.ValidateRequiredFlags(); err != nil {
		return err
	}
	if err := cmd.ValidateFlagGroups(); err != nil {
		return err
	}
	if err := a.checkFormat(cmd); err != nil {
		return err
	}
	a.started = true
	return nil
}

// ask runs a question and writes its answer in the chosen form.
func ask[T any](
	a *app, cmd *cobra.Command, question func(context.Context, answer.Asker) (*T, error), text func(*T) error,
	table func(*T) [][]string, markdown ...func(*T) error,
) error {
	asker, err := a.asker(cmd.Context())
	if err != nil {
		return err
	}
	got, err := question(cmd.Context(), asker)
	if err != nil {
		return a.explain(err)
	}
	return present(a, got, text, table, markdown...)
}

// present writes an answer in the chosen form. Commands that have Markdown say so (also)
// and give it last.
func present[T any](a *app, got *T, text func(*T) error, table func(*T) [][]string, markdown ...func(*T) error) error {
	switch a.format {
	case asJSON:
		return a.writeJSON(got)
	case asCSV:
		if part, ok := any(got).(interface{ Missing() string }); ok && part.Missing() != "" {
			fmt.Fprintf(a.err, "gatemap: this is a part: %s\n", part.Missing())
		}
		return a.writeCSV(table(got))
	case asMarkdown:
		return markdown[0](got)
	}
	return text(got)
}

// explain adds what to do to errors that the command line has a flag for.
func (a *app) explain(err error) error {
	var object *rule.ObjectNeededError
	if errors.As(err, &object) {
		return fmt.Errorf("%w\nAdd one of: %s", err, onFlags(object.Objects))
	}
	return err
}

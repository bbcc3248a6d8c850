// Package cli is the command line: it turns words into calls and answers into
// text, JSON or CSV. It works out nothing itself.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/situation"
	"gatemap/service"
)

// The exit codes (docs/map-folder.md).
const (
	exitDone    = 0
	exitFailed  = 1 // the answer is a failed check
	exitUsage   = 2
	exitNoMap   = 3 // the map cannot be loaded or the service not reached
	exitMissing = 4 // no such user, group, system or object
)

// Version is the version of the program; the build sets it.
var Version = "0.1.0"

// app is what every command shares.
type app struct {
	in       io.Reader
	out, err io.Writer

	mapDir, server, tokenFile string
	ofTrial                   string // of which questions are asked
	format                    format

	local *local // the service of a map folder, while a command runs on that

	started bool // the arguments were understood
	failed  bool // the answer is a failed check
}

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
	if a.local != nil {
		err = errors.Join(err, a.local.close(context.WithoutCancel(ctx), err == nil))
	}
	if err == nil {
		if a.failed {
			return exitFailed
		}
		return exitDone
	}
	fmt.Fprintf(errs, "gatemap: %v\n", err)
	code := a.exitCode(err)
	if code == exitUsage {
		fmt.Fprintf(errs, "Try: %s --help\n", cmd.CommandPath())
	}
	return code
}

func (a *app) exitCode(err error) int {
	var (
		usage   *usageError
		field   *situation.FieldError
		object  *gate.ObjectNeededError
		missing *directory.NotFoundError
		notNow  *answer.ConflictError
	)
	switch {
	case errors.As(err, &notNow):
		return exitFailed
	case !a.started, errors.As(err, &usage), errors.As(err, &field), errors.As(err, &object):
		return exitUsage
	case errors.As(err, &missing):
		return exitMissing
	}
	return exitNoMap
}

// usageError is a wrong call that the arguments' own checks cannot see.
type usageError struct{ message string }

func (e *usageError) Error() string { return e.message }

func (a *app) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "gatemap",
		Short: "What people can do, why, and why not",
		Long: `Gate Map holds the whole map from directory groups to what they open, and
answers for any user in any situation what they can do, why, and why not.

Questions are asked of a map folder (--map DIR, or GATEMAP_MAP) or of a running
service (--server URL, or GATEMAP_SERVER, with a token in GATEMAP_TOKEN or in the
file that --token-file names). Both give the same answers.

Exit codes: 0 done; 1 the answer is a failed check; 2 wrong usage; 3 the map
cannot be loaded or the service cannot be reached; 4 no such user, group, system
or object.`,
		Example: `  gatemap demo
  gatemap reach ilse.okonjo --map demo/cindervale
  gatemap why ilse.okonjo archive frames:write --on /raw/2026 --map demo/cindervale`,
		Version:           Version,
		SilenceErrors:     true,
		SilenceUsage:      true,
		PersistentPreRunE: func(*cobra.Command, []string) error { a.started = true; return a.checkPlace() },
	}
	flags := root.PersistentFlags()
	flags.StringVar(&a.mapDir, "map", "", "map folder to ask")
	flags.StringVar(&a.server, "server", "", "address of the service to ask")
	flags.StringVar(&a.tokenFile, "token-file", "", "file that holds the token for the service")
	flags.StringVar(&a.ofTrial, "trial", "", "ask as if this trial were in force")
	flags.VarP(&a.format, "output", "o", "output: text, json or csv; for findings and guarantees also sarif and junit")
	_ = root.MarkPersistentFlagDirname("map")
	_ = root.RegisterFlagCompletionFunc("output", cobra.FixedCompletions(formats, cobra.ShellCompDirectiveNoFileComp))
	root.AddCommand(a.reach(), a.why(), a.who(), a.members(), a.groups(), a.findings(), a.guarantees(), a.compare(), a.difference(), a.matrix(), a.hours(), a.find(),
		a.trial(), a.revisions(), a.revert(), a.export(), a.operator(), a.tokens(), a.audit(), a.backup(), a.restore(), a.directory(), a.intake(), a.schema(), a.serve(), a.demo(), a.openapi())
	return root
}

func (a *app) checkPlace() error {
	if a.mapDir != "" && a.server != "" {
		return &usageError{"--map and --server exclude each other: ask a folder or a service"}
	}
	return nil
}

// asker is the map that the flags and the environment name.
func (a *app) asker(ctx context.Context) (answer.Asker, error) {
	dir, server := a.mapDir, a.server
	if dir == "" && server == "" {
		dir, server = env("MAP"), env("SERVER")
	}
	if dir != "" && server == "" || a.mapDir != "" {
		if a.ofTrial != "" {
			c, err := a.bench()
			if err != nil {
				return nil, err
			}
			return c.Of(a.ofTrial), nil
		}
		return openFolder(ctx, dir)
	}
	if server == "" {
		server = "http://" + defaultListen
	}
	token, err := a.token()
	if err != nil {
		return nil, err
	}
	c, err := client.New(server, token)
	if err != nil {
		return nil, err
	}
	return c.Of(a.ofTrial), nil
}

func openFolder(ctx context.Context, dir string) (answer.Asker, error) {
	a, err := compileFolder(ctx, dir)
	if err != nil {
		return nil, err
	}
	return service.From(a), nil
}

// compileFolder compiles a map folder with everything that its sources hold.
func compileFolder(ctx context.Context, dir string) (*atlas.Atlas, error) {
	folder, err := service.ReadFolder(dir)
	if err != nil {
		return nil, err
	}
	if err := folder.Fetch(ctx, service.Files{FS: os.DirFS(dir)}, dir); err != nil {
		return nil, err
	}
	return folder.Compile(dir)
}

// ask runs a question and writes its answer in the chosen form.
func ask[T any](a *app, cmd *cobra.Command, question func(context.Context, answer.Asker) (*T, error), text func(*T) error, table func(*T) [][]string) error {
	if err := a.plainFormat(); err != nil {
		return err
	}
	asker, err := a.asker(cmd.Context())
	if err != nil {
		return err
	}
	got, err := question(cmd.Context(), asker)
	if err != nil {
		return a.explain(err)
	}
	return present(a, got, text, table)
}

// present writes an answer in the chosen form.
func present[T any](a *app, got *T, text func(*T) error, table func(*T) [][]string) error {
	switch a.format {
	case asJSON:
		return a.writeJSON(got)
	case asCSV:
		return a.writeCSV(table(got))
	}
	return text(got)
}

// plainFormat refuses the forms that are for checks alone.
func (a *app) plainFormat() error {
	if a.format == asSARIF || a.format == asJUnit {
		return &usageError{fmt.Sprintf("-o %s is for findings and guarantees only", a.format)}
	}
	return nil
}

// explain adds what to do to errors that the command line has a flag for.
func (a *app) explain(err error) error {
	var object *gate.ObjectNeededError
	if errors.As(err, &object) {
		return fmt.Errorf("%w\nAdd one of: %s", err, onFlags(object.Objects))
	}
	return err
}

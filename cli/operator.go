package cli

import (
	"bufio"
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"gatemap/answer"
	"gatemap/cli/collector"
	"gatemap/client"
	"gatemap/store"
)

func (a *app) operator() *cobra.Command {
	cmd := &cobra.Command{
		Use: "operator", Short: "The people who work with the service, and their roles",
		Long: `Operators sign in to the console with a password, with or without a second factor, or by
OpenID Connect. The roles are viewer (ask questions), editor (stage changes), approver
(commit them) and admin (also manage operators, tokens and settings).`,
		Example: "  gatemap operator set edda.marsh --role approver --password\n" +
			"  gatemap operator second-factor edda.marsh\n  gatemap operator two-person-rule on", Args: cobra.NoArgs,
	}
	cmd.AddCommand(
		a.operatorList(),
		a.operatorSet(),
		a.operatorRemove(),
		a.operatorFactor(),
		a.operatorPassword(),
		a.operatorUntie(),
		a.operatorTwo(),
		a.operatorConnect(),
		standsAlone(a.operatorRecover()),
	)
	return cmd
}

func (a *app) operatorList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All operators", Example: "  gatemap operator list", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withService(
				a,
				cmd,
				func(ctx context.Context, c *client.Client) (*answer.Operators, error) { return c.Operators(ctx) },
				a.operatorsText,
				operatorsTable,
			)
		},
	}
}

func (a *app) operatorsText(all *answer.Operators) error {
	if len(all.Operators) == 0 {
		a.print("No operator yet. Add one:  gatemap operator set NAME --role approver --password\n")
	}
	wide := widest(all.Operators, func(o answer.Operator) string { return o.Name })
	for _, o := range all.Operators {
		var by []string
		if o.Password {
			by = append(by, "password")
		}
		if o.TwoFactor {
			by = append(by, "second factor")
		}
		if o.Issuer != "" {
			by = append(by, o.Issuer)
		}
		if o.Inactive {
			by = append(by, "inactive")
		}
		a.print(
			"%s  %s  %s  %s\n",
			a.paint(strong, pad(o.Name, wide)),
			pad(o.Role, 8),
			pad(o.Display, 20),
			strings.Join(by, ", "),
		)
	}
	return nil
}

func operatorsTable(all *answer.Operators) [][]string {
	rows := [][]string{{"operator", "role", "display", "password", "two_factor", "issuer", "inactive"}}
	for _, o := range all.Operators {
		rows = append(
			rows,
			[]string{
				o.Name,
				o.Role,
				o.Display,
				strconv.FormatBool(o.Password),
				strconv.FormatBool(o.TwoFactor),
				o.Issuer,
				strconv.FormatBool(o.Inactive),
			},
		)
	}
	return rows
}

func (a *app) operatorSet() *cobra.Command {
	var role, display, issuer string
	var password, inactive bool
	cmd := &cobra.Command{
		Use: "set NAME", Short: "Add or change an operator",
		Long: `Adds an operator, or changes what the flags name. --password reads a password from the
terminal or a line of standard input, never from the command line.`,
		Example: "  gatemap operator set edda.marsh --role approver --display \"Edda Marsh\" --password\n" +
			"  gatemap operator set edda.marsh --inactive", Args: cobra.ExactArgs(1),
	}
	flags := cmd.Flags()
	flags.StringVar(&role, "role", "", "viewer, editor, approver or admin")
	flags.StringVar(&display, "display", "", "the display name")
	flags.StringVar(&issuer, "issuer", "", "address of the OpenID Connect provider that may sign this operator in")
	flags.BoolVar(&password, "password", false, "read a password")
	flags.BoolVar(&inactive, "inactive", false, "deactivate the operator; --inactive=false activates again")
	_ = cmd.RegisterFlagCompletionFunc(
		"role",
		cobra.FixedCompletions([]string{"viewer", "editor", "approver", "admin"}, cobra.ShellCompDirectiveNoFileComp),
	)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		var change answer.OperatorChange
		for flag, to := range map[string]struct {
			field **string
			value *string
		}{"role": {&change.Role, &role}, "display": {&change.Display, &display}, "issuer": {&change.Issuer, &issuer}} {
			if flags.Changed(flag) {
				*to.field = to.value
			}
		}
		if flags.Changed("inactive") {
			change.Inactive = &inactive
		}
		if password {
			text, err := a.readPassword("Password")
			if err != nil {
				return err
			}
			change.Password = &text
		}
		return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Operators, error) {
			o, err := c.SetOperator(ctx, args[0], change)
			if err != nil {
				return nil, err
			}
			return &answer.Operators{Operators: []answer.Operator{*o}}, nil
		}, a.operatorsText, operatorsTable)
	}
	return cmd
}

// readPassword reads a password without showing it.
func (a *app) readPassword(prompt string) (string, error) {
	if f, ok := a.in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(a.err, prompt+": ")
		raw, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.err)
		return string(raw), err
	}
	if a.input == nil {
		a.input = bufio.NewReader(a.in)
	}
	line, err := a.input.ReadString('\n')
	if line == "" && err != nil {
		return "", fmt.Errorf("the password is read from standard input, which is empty")
	}
	return strings.TrimRight(line, "\r\n"), nil
}

func (a *app) operatorRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove an operator and sign them out", Example: "  gatemap operator remove edda.marsh",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err == nil {
				err = c.RemoveOperator(cmd.Context(), args[0])
			}
			return err
		},
	}
}

func (a *app) operatorFactor() *cobra.Command {
	return &cobra.Command{
		Use: "second-factor NAME", Short: "Create the secret of an operator's second factor; it is shown only once",
		Example: "  gatemap operator second-factor edda.marsh", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.SecondFactor, error) {
				return c.SecondFactor(ctx, args[0])
			}, func(f *answer.SecondFactor) error {
				a.print("Secret, shown only once: %s\nFor an authenticator:    %s\n", f.Secret, f.Address)
				return nil
			}, func(f *answer.SecondFactor) [][]string {
				return [][]string{{"secret", "address"}, {f.Secret, f.Address}}
			})
		},
	}
}

func (a *app) operatorRecover() *cobra.Command {
	var data string
	var seal string
	var replace bool
	cmd := &cobra.Command{
		Use: "recover", Short: "Create an admin token on the host, when no admin can sign in",
		Long: `Creates an admin token that expires after 24 hours, in the data folder of a service that is
stopped. The audit records it. Use it to set up an operator, then revoke it.

When the key of the seal is lost, --replace-seal gives the database another one. All second
factors go with the old key: set them up again.`,
		Example: "  gatemap operator recover --data /var/lib/gatemap", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if _, err := os.Stat(filepath.Join(data, "gatemap.db")); err != nil {
				return &usageError{fmt.Sprintf("there is no database in %s: %v", data, err)}
			}
			if replace {
				factors, err := store.ReplaceSeal(cmd.Context(), data, seal)
				if err != nil {
					return err
				}
				a.print("The seal has another key. Second factors to set up again: %d\n", factors)
			}
			svc, err := collector.Open(cmd.Context(), data, slog.New(slog.DiscardHandler), seal)
			if err != nil {
				return err
			}
			defer svc.Close()
			named, token, err := svc.Tokens.Recover(cmd.Context())
			if err != nil {
				return err
			}
			a.print(
				"Token %s, shown only once: %s\n"+
					"It expires in 24 hours. When an admin can sign in again, revoke it:  gatemap token revoke %s\n",
				named,
				token,
				named,
			)
			return nil
		},
	}
	cmd.Flags().StringVar(&data, "data", "", "data folder of the service")
	sealKey(cmd, &seal)
	cmd.Flags().
		BoolVar(&replace, "replace-seal", false, "give the database another key, where the one of its seal is lost")
	_ = cmd.MarkFlagRequired("data")
	_ = cmd.MarkFlagDirname("data")
	return cmd
}

func (a *app) operatorPassword() *cobra.Command {
	return &cobra.Command{
		Use: "password", Short: "Change your own password; your sessions and tokens end",
		Long: `Reads your password and the new one, each from the terminal or from a line of standard input.
Sessions and tokens of yours end, so that nobody stays signed in who should not be.`,
		Example: "  gatemap operator password", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			old, err := a.readPassword("Your password")
			if err != nil {
				return err
			}
			fresh, err := a.readPassword("The new one")
			if err != nil {
				return err
			}
			if err := c.ChangeOwnPassword(cmd.Context(), answer.PasswordChange{Old: old, New: fresh}); err != nil {
				return err
			}
			a.print("Changed. Your sessions and tokens have ended: sign in again.\n")
			return nil
		},
	}
}

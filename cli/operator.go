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
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/service"
)

func (a *app) operator() *cobra.Command {
	cmd := &cobra.Command{
		Use: "operator", Short: "The people who work with the service, and their roles",
		Long: `Operators sign in to the console with a password, with or without a second factor, or by
OpenID Connect. The roles are viewer (ask questions), editor (stage changes), approver
(commit them) and admin (also manage operators, tokens and settings).`,
		Example: "  gatemap operator set edda.marsh --role approver --password\n  gatemap operator second-factor edda.marsh\n  gatemap operator two-person-rule on", Args: cobra.NoArgs,
	}
	cmd.AddCommand(a.operatorList(), a.operatorSet(), a.operatorRemove(), a.operatorFactor(), a.operatorTwo(), standsAlone(a.operatorRecover()))
	return cmd
}

func (a *app) operatorList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All operators", Example: "  gatemap operator list", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Operators, error) { return c.Operators(ctx) }, a.operatorsText, operatorsTable)
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
		a.print("%s  %s  %s  %s\n", a.paint(strong, pad(o.Name, wide)), pad(o.Role, 8), pad(o.Display, 20), strings.Join(by, ", "))
	}
	return nil
}

func operatorsTable(all *answer.Operators) [][]string {
	rows := [][]string{{"operator", "role", "display", "password", "two_factor", "issuer", "inactive"}}
	for _, o := range all.Operators {
		rows = append(rows, []string{o.Name, o.Role, o.Display, strconv.FormatBool(o.Password), strconv.FormatBool(o.TwoFactor), o.Issuer, strconv.FormatBool(o.Inactive)})
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
		Example: "  gatemap operator set edda.marsh --role approver --display \"Edda Marsh\" --password\n  gatemap operator set edda.marsh --inactive", Args: cobra.ExactArgs(1),
	}
	flags := cmd.Flags()
	flags.StringVar(&role, "role", "", "viewer, editor, approver or admin")
	flags.StringVar(&display, "display", "", "the display name")
	flags.StringVar(&issuer, "issuer", "", "address of the OpenID Connect provider that may sign this operator in")
	flags.BoolVar(&password, "password", false, "read a password")
	flags.BoolVar(&inactive, "inactive", false, "deactivate the operator; --inactive=false activates again")
	_ = cmd.RegisterFlagCompletionFunc("role", cobra.FixedCompletions([]string{"viewer", "editor", "approver", "admin"}, cobra.ShellCompDirectiveNoFileComp))
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
			text, err := a.readPassword()
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
func (a *app) readPassword() (string, error) {
	if f, ok := a.in.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		fmt.Fprint(a.err, "Password: ")
		raw, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(a.err)
		return string(raw), err
	}
	line, err := bufio.NewReader(a.in).ReadString('\n')
	if line == "" && err != nil {
		return "", fmt.Errorf("the password is read from standard input, which is empty")
	}
	return strings.TrimRight(line, "\r\n"), nil
}

func (a *app) operatorRemove() *cobra.Command {
	return &cobra.Command{
		Use: "remove NAME", Short: "Remove an operator and sign them out", Example: "  gatemap operator remove edda.marsh", Args: cobra.ExactArgs(1),
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
		Use: "second-factor NAME", Short: "Create the secret of an operator's second factor; it is shown only once", Example: "  gatemap operator second-factor edda.marsh", Args: cobra.ExactArgs(1),
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
	cmd := &cobra.Command{
		Use: "recover", Short: "Create an admin token on the host, when no admin can sign in",
		Long: `Creates an admin token that expires after 24 hours, in the data folder of a service that is
stopped. The audit records it. Use it to set up an operator, then revoke it.`,
		Example: "  gatemap operator recover --data /var/lib/gatemap", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if _, err := os.Stat(filepath.Join(data, "gatemap.db")); err != nil {
				return &usageError{fmt.Sprintf("there is no database in %s: %v", data, err)}
			}
			svc, err := service.Open(cmd.Context(), data, slog.New(slog.DiscardHandler))
			if err != nil {
				return err
			}
			defer svc.Close()
			named, token, err := svc.Recover(cmd.Context())
			if err != nil {
				return err
			}
			a.print("Token %s, shown only once: %s\nIt expires in 24 hours. When an admin can sign in again, revoke it:  gatemap token revoke %s\n", named, token, named)
			return nil
		},
	}
	cmd.Flags().StringVar(&data, "data", "", "data folder of the service")
	_ = cmd.MarkFlagRequired("data")
	_ = cmd.MarkFlagDirname("data")
	return cmd
}

func (a *app) operatorTwo() *cobra.Command {
	return &cobra.Command{
		Use: "two-person-rule on|off", Short: "Require another person to commit what someone staged", Example: "  gatemap operator two-person-rule on", Args: cobra.MatchAll(cobra.ExactArgs(1), cobra.OnlyValidArgs), ValidArgs: []string{"on", "off"},
		RunE: func(cmd *cobra.Command, args []string) error {
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Settings, error) {
				return c.ChangeSettings(ctx, answer.Settings{TwoPersons: args[0] == "on"})
			}, func(s *answer.Settings) error {
				if s.TwoPersons {
					a.print("On: who staged a change may not commit it.\n")
				} else {
					a.print("Off: who staged a change may commit it.\n")
				}
				return nil
			}, func(s *answer.Settings) [][]string {
				return [][]string{{"two_persons"}, {strconv.FormatBool(s.TwoPersons)}}
			})
		},
	}
}

func (a *app) tokens() *cobra.Command {
	cmd := &cobra.Command{
		Use: "token", Short: "Tokens for programs, with a role and an expiry", Example: "  gatemap token create nightly-report --role viewer --expires 2027-12-31T00:00:00Z\n  gatemap token list\n  gatemap token revoke nightly-report", Args: cobra.NoArgs,
	}
	cmd.AddCommand(a.tokenList(), a.tokenCreate(), &cobra.Command{
		Use: "revoke NAME", Short: "Revoke a token", Example: "  gatemap token revoke nightly-report", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err == nil {
				err = c.RevokeToken(cmd.Context(), args[0])
			}
			return err
		},
	})
	return cmd
}

func (a *app) tokenList() *cobra.Command {
	return &cobra.Command{
		Use: "list", Short: "All tokens, without their secrets", Example: "  gatemap token list", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Tokens, error) { return c.Tokens(ctx) }, func(all *answer.Tokens) error {
				wide := widest(all.Tokens, func(t answer.TokenInfo) string { return t.Name })
				for _, row := range tokensTable(all)[1:] {
					a.print("%s  %s  created by %s  %s\n", a.paint(strong, pad(row[0], wide)), pad(row[1], 8), pad(row[2], 16), strings.TrimSpace(strings.Join(row[4:], " ")))
				}
				return nil
			}, tokensTable)
		},
	}
}

func tokensTable(all *answer.Tokens) [][]string {
	rows := [][]string{{"token", "role", "author", "created", "expires", "systems", "user", "directory"}}
	for _, t := range all.Tokens {
		expires := ""
		if t.Expires != nil {
			expires = t.Expires.UTC().Format(time.RFC3339)
		}
		rows = append(rows, []string{t.Name, t.Role, t.Author, t.Created.UTC().Format(time.RFC3339), expires, strings.Join(t.Systems, " "), t.User, t.Directory})
	}
	return rows
}

func (a *app) tokenCreate() *cobra.Command {
	var t answer.TokenChange
	var expires string
	cmd := &cobra.Command{
		Use: "create NAME", Short: "Create a token; it is shown only once",
		Long: `Creates a token with a role, or with --manager one that can change the members of the
groups that a user manages, and nothing else.`,
		Example: "  gatemap token create nightly-report --role viewer --expires 2027-12-31T00:00:00Z\n  gatemap token create archive-desk --role editor --system archive\n  gatemap token create shift-plan --manager greta.falk", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			t.Name = args[0]
			if expires != "" {
				at, err := time.Parse(time.RFC3339, expires)
				if err != nil {
					return &usageError{fmt.Sprintf("%q is not a time (RFC 3339), such as 2027-12-31T00:00:00Z", expires)}
				}
				t.Expires = &at
			}
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Token, error) { return c.CreateToken(ctx, t) },
				func(t *answer.Token) error {
					a.print("Token, shown only once: %s\n", t.Token)
					return nil
				}, func(t *answer.Token) [][]string { return [][]string{{"token"}, {t.Token}} })
		},
	}
	flags := cmd.Flags()
	flags.StringVar(&t.Role, "role", "", "viewer, editor, approver or admin")
	flags.StringVar(&expires, "expires", "", "when it expires (RFC 3339)")
	flags.StringSliceVar(&t.Systems, "system", nil, "limit it to this system; may be repeated")
	flags.StringVar(&t.User, "manager", "", "limit it to the groups that this user manages")
	cmd.MarkFlagsOneRequired("role", "manager")
	cmd.MarkFlagsMutuallyExclusive("role", "manager")
	return cmd
}

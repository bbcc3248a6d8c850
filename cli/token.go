package cli

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
)

func (a *app) tokens() *cobra.Command {
	cmd := &cobra.Command{
		Use: "token", Short: "Tokens: your own, those of programs, and those of managers of groups",
		Long: `A token of your own acts as you, with your role or a weaker one: what it does is done by you.
A token of a service (--service) is for a program: it can read and run intakes, and never
stage or commit.`,
		Example: "  gatemap token create laptop --role editor\n" +
			"  gatemap token create nightly-report --service --role viewer --expires 2027-12-31T00:00:00Z\n" +
			"  gatemap token list\n  gatemap token revoke nightly-report", Args: cobra.NoArgs,
	}
	cmd.AddCommand(a.tokenList(), a.tokenCreate(), &cobra.Command{
		Use: "revoke NAME", Short: "Revoke a token", Example: "  gatemap token revoke nightly-report",
		Args: cobra.ExactArgs(1),
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
		Use: "list", Short: "Tokens, without their secrets: all of them for an admin, your own for others",
		Example: "  gatemap token list", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withService(
				a,
				cmd,
				func(ctx context.Context, c *client.Client) (*answer.Tokens, error) { return c.Tokens(ctx) },
				func(all *answer.Tokens) error {
					if len(all.Tokens)+len(all.Services) == 0 {
						a.print("No tokens. Create one:  gatemap token create NAME --role viewer\n")
					}
					a.tokensText("Of persons", all.Tokens)
					a.tokensText("Of services", all.Services)
					return nil
				},
				tokensTable,
			)
		},
	}
}

func (a *app) tokensText(title string, list []answer.TokenInfo) {
	if len(list) == 0 {
		return
	}
	a.print("%s\n", title)
	wide := widest(list, func(t answer.TokenInfo) string { return t.Name })
	owners := widest(list, owner)
	for _, t := range list {
		until := "does not expire"
		if t.Expired {
			until = "has expired"
		} else if t.Expires != nil {
			until = "expires " + t.Expires.UTC().Format(time.RFC3339)
		}
		a.print(
			"  %s  %s  %s  created by %s  %s\n",
			a.paint(strong, pad(t.Name, wide)),
			pad(t.Role, 8),
			pad(owner(t), owners),
			pad(t.Author, 16),
			strings.Join(append([]string{until}, t.Systems...), "  "),
		)
	}
}

// owner is whose a token is: a person, a user who manages groups, a directory, or a service.
func owner(t answer.TokenInfo) string { return cmp.Or(t.Owner, t.User, t.Directory, "a service") }

func tokensTable(all *answer.Tokens) [][]string {
	rows := [][]string{{"token", "role", "owner", "author", "created", "expires", "systems", "user", "directory"}}
	for _, t := range slices.Concat(all.Tokens, all.Services) {
		expires := ""
		if t.Expires != nil {
			expires = t.Expires.UTC().Format(time.RFC3339)
		}
		rows = append(
			rows,
			[]string{
				t.Name,
				t.Role,
				t.Owner,
				t.Author,
				t.Created.UTC().Format(time.RFC3339),
				expires,
				strings.Join(t.Systems, " "),
				t.User,
				t.Directory,
			},
		)
	}
	return rows
}

func (a *app) tokenCreate() *cobra.Command {
	var t answer.TokenChange
	var expires string
	cmd := &cobra.Command{
		Use: "create NAME", Short: "Create a token; it is shown only once",
		Long: `Creates a token of your own, with your role or a weaker one. As an admin, creates with --service
one for a program, which never stages or commits, or with --manager one that can change the
members of the groups that a user manages, and nothing else.`,
		Example: "  gatemap token create laptop --role editor\n" +
			"  gatemap token create nightly-report --service --role viewer --expires 2027-12-31T00:00:00Z\n" +
			"  gatemap token create archive-desk --role editor --system archive\n" +
			"  gatemap token create shift-plan --manager greta.falk", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			t.Name = args[0]
			if expires != "" {
				at, err := time.Parse(time.RFC3339, expires)
				if err != nil {
					return &usageError{fmt.Sprintf("%q is not a time (RFC 3339), such as 2027-12-31T00:00:00Z", expires)}
				}
				t.Expires = &at
			}
			return withService(
				a,
				cmd,
				func(ctx context.Context, c *client.Client) (*answer.Token, error) { return c.CreateToken(ctx, t) },
				func(t *answer.Token) error {
					a.print("Token, shown only once: %s\n", t.Token)
					return nil
				},
				func(t *answer.Token) [][]string { return [][]string{{"token"}, {t.Token}} },
			)
		},
	}
	flags := cmd.Flags()
	flags.StringVar(&t.Role, "role", "", "viewer, editor, approver or admin")
	flags.BoolVar(&t.Service, "service", false, "for a program, which no person uses")
	flags.StringVar(&expires, "expires", "", "when it expires (RFC 3339)")
	flags.StringSliceVar(&t.Systems, "system", nil, "limit it to this system; may be repeated")
	flags.StringVar(&t.User, "manager", "", "limit it to the groups that this user manages")
	cmd.MarkFlagsOneRequired("role", "manager")
	cmd.MarkFlagsMutuallyExclusive("role", "manager")
	return cmd
}

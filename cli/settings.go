package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gatemap/answer"
	"gatemap/client"

	"github.com/spf13/cobra"
)

func (a *app) operatorUntie() *cobra.Command {
	return &cobra.Command{
		Use: "untie DIRECTORY/USER", Short: "Let a manager of groups be tied anew to an account of the provider",
		Long: `At the first sign-in by OpenID Connect a manager of groups is tied to an account of the
provider, for good. When that account has gone, this lets the next sign-in tie them anew.`,
		Example: "  gatemap operator untie cindervale/greta.falk", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			directory, user, ok := strings.Cut(args[0], "/")
			if !ok {
				return &usageError{fmt.Sprintf("%q is no full name, such as cindervale/greta.falk", args[0])}
			}
			c, err := a.service()
			if err == nil {
				err = c.UntieManager(cmd.Context(), directory, user)
			}
			return err
		},
	}
}

func (a *app) operatorConnect() *cobra.Command {
	return &cobra.Command{
		Use: "connect NAME on|off", Short: "Let an operator change what the map connects to and reads on the host",
		Long: `Admins can change where the records of a directory come from: its servers, its bind, its
secret, its certificates and its files. This lets another operator do that, too.`,
		Example: "  gatemap operator connect lotte.amundi on", Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			if args[1] != "on" && args[1] != "off" {
				return &usageError{fmt.Sprintf("%q is neither on nor off", args[1])}
			}
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Settings, error) {
				now, err := c.Settings(ctx)
				if err != nil {
					return nil, err
				}
				list := slices.DeleteFunc(now.Connect, func(n string) bool { return strings.EqualFold(n, args[0]) })
				if args[1] == "on" {
					list = append(list, args[0])
				}
				return c.ChangeSettings(ctx, answer.SettingsChange{Connect: append([]string{}, list...)})
			}, func(s *answer.Settings) error {
				a.print(
					"Who may change what the map connects to: %s\n",
					strings.Join(append([]string{"admins"}, s.Connect...), ", "),
				)
				return nil
			}, func(s *answer.Settings) [][]string {
				return [][]string{{"connect"}, {strings.Join(s.Connect, " ")}}
			})
		},
	}
}

func (a *app) operatorTwo() *cobra.Command {
	return &cobra.Command{
		Use: "two-person-rule on|off", Short: "Require another person to commit what someone staged",
		Example: "  gatemap operator two-person-rule on", Args: cobra.MatchAll(cobra.ExactArgs(1), cobra.OnlyValidArgs),
		ValidArgs: []string{"on", "off"},
		RunE: func(cmd *cobra.Command, args []string) error {
			return withService(a, cmd, func(ctx context.Context, c *client.Client) (*answer.Settings, error) {
				return c.ChangeSettings(ctx, answer.SettingsChange{TwoPersons: new(args[0] == "on")})
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

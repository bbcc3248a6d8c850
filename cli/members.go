package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
)

func (a *app) members() *cobra.Command {
	var against string
	cmd := &cobra.Command{
		Use:   "members GROUP",
		Short: "Everyone in a group, and how",
		Long: `Lists everyone in a group: direct, nested, by rule or as primary group, with the groups
on the way.

--against compares the group with a list of who should be in it: a file with one name on
each line. Text after a comma, semicolon or tab is ignored, and so are lines that begin
with #. The exit code is 1 if they differ.`,
		Example: `  gatemap members archive-writers
  gatemap members cindervale/night-crew -o json
  gatemap members night-crew --against night-crew.txt`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindGroup),
		RunE: func(cmd *cobra.Command, args []string) error {
			if against != "" {
				return a.against(cmd, args[0], against)
			}
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Members, error) {
				return asker.Members(ctx, args[0])
			}, a.membersText, func(m *answer.Members) [][]string {
				rows := [][]string{{"group", "user", "how", "path", "device"}}
				for _, x := range m.Members {
					rows = append(rows, []string{m.Group, x.User, x.How, strings.Join(x.Path, " > "), ""})
				}
				for _, x := range m.Devices {
					rows = append(rows, []string{m.Group, "", x.How, strings.Join(x.Path, " > "), x.Device})
				}
				return rows
			})
		},
	}
	cmd.Flags().StringVar(&against, "against", "", "file that lists who should be in the group")
	return cmd
}

func (a *app) membersText(m *answer.Members) error {
	a.print("%s\n\n", a.paint(strong, m.Group))
	if len(m.Members)+len(m.Devices) == 0 {
		a.print("It has no members.\n")
		return nil
	}
	width := max(
		widest(m.Members, func(x answer.Member) string { return x.User }),
		widest(m.Devices, func(x answer.DeviceMember) string { return x.Device }),
	)
	for _, x := range m.Members {
		a.print("  %s  %s\n", pad(x.User, width), membership(x.How, x.Path))
	}
	for _, x := range m.Devices {
		a.print("  %s  %s\n", pad(x.Device, width), membership("device, "+x.How, x.Path))
	}
	a.print("\n%s", count(len(m.Members), "member", "members"))
	if len(m.Devices) > 0 {
		a.print(" and %s", count(len(m.Devices), "device", "devices"))
	}
	a.print("\n")
	return nil
}

// membership says how someone is in a group: by which way, and through which
// groups.
func membership(how string, path []string) string {
	if len(path) < 2 {
		return how
	}
	return pad(how, len("primary")) + "  by " + strings.Join(path[:len(path)-1], " > ")
}

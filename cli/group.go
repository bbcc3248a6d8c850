package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
)

// shownGroup is a group with all that it opens.
type shownGroup struct {
	*answer.GroupInfo
	Opens []answer.Line `json:"opens"`
}

func (a *app) group() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "group",
		Short:   "What a group is and what it opens",
		Example: "  gatemap group show night-crew",
		Args:    cobra.NoArgs,
	}
	cmd.AddCommand(&cobra.Command{
		Use:   "show GROUP",
		Short: "A group with its parents, what it opens, its managers and its rule",
		Long: `Shows a group: where its members come from and where it can be used, its rule and number
of members, its managers, the groups in it and the groups it is in, and every line by which
members get something. gatemap members lists its members.`,
		Example: `  gatemap group show night-crew
  gatemap group show cindervale/archivists -o json`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindGroup),
		RunE: func(cmd *cobra.Command, args []string) error {
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*shownGroup, error) {
				g, err := asker.Group(ctx, args[0])
				if err != nil {
					return nil, err
				}
				o, err := asker.Opens(ctx, g.Group)
				if err != nil {
					return nil, err
				}
				return &shownGroup{g, o.Lines}, nil
			}, a.groupText, groupTable)
		},
	})
	return cmd
}

func (a *app) groupText(g *shownGroup) error {
	a.print("%s\n", a.paint(strong, g.Group))
	field := func(name, value string) {
		if value != "" {
			a.print("  %s  %s\n", pad(name, 13), value)
		}
	}
	field("Description", g.Description)
	field("Kind", g.Kind)
	field("Members from", g.MembersFrom)
	usable := g.UsableIn
	if g.Host != "" {
		usable += " " + g.Host
	}
	field("Usable in", usable)
	field("Name", g.DN)
	field("Rule", g.Rule)
	field("Members", strconv.Itoa(g.Members))
	field("Groups in it", strings.Join(g.Groups, ", "))
	field("Member of", strings.Join(g.MemberOf, ", "))
	field("Managers", strings.Join(slices.Concat(g.Managers, g.ManagedBy), ", "))
	if len(g.Opens) == 0 {
		a.print("\nIt opens nothing.\n")
		return nil
	}
	a.print("\n%s\n", a.paint(strong, "Opens"))
	a.lineList(g.Opens)
	return nil
}

func groupTable(g *shownGroup) [][]string {
	rows := [][]string{
		{
			"group",
			"kind",
			"members_from",
			"usable_in",
			"host",
			"rule",
			"members",
			"groups",
			"member_of",
			"managers",
			"line",
			"value",
		},
	}
	own := []string{
		g.Group, g.Kind, g.MembersFrom, g.UsableIn, g.Host, g.Rule, strconv.Itoa(g.Members), strings.Join(g.Groups, "; "),
		strings.Join(g.MemberOf, "; "), strings.Join(slices.Concat(g.Managers, g.ManagedBy), "; "),
	}
	if len(g.Opens) == 0 {
		return append(rows, append(own, "", ""))
	}
	for _, l := range g.Opens {
		rows = append(rows, append(slices.Clone(own), l.Line, string(l.Value)))
	}
	return rows
}

// lineList prints lines of systems, with for how many people they are.
func (a *app) lineList(lines []answer.Line) {
	wide := widest(lines, func(l answer.Line) string { return l.Line })
	for _, l := range lines {
		people := count(l.People, "person", "people")
		if l.IsOff() {
			people = "off"
		}
		a.print("  %s  %s\n", pad(l.Line, wide), strings.TrimSpace(fmt.Sprintf("%s  %s", pad(people, 10), flow(l.Value))))
	}
}

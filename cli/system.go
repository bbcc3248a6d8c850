package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/mapfile"
)

func (a *app) systemCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use: "system", Short: "What a system is, its lines and its roles",
		Example: "  gatemap system show archive\n  gatemap system lines core-net\n  gatemap system roles archive",
		Args:    cobra.NoArgs,
	}
	cmd.AddCommand(a.systemShow(), a.systemLines(), a.systemRoles())
	return cmd
}

func (a *app) systemShow() *cobra.Command {
	return &cobra.Command{
		Use: "show SYSTEM", Short: "A system with its objects and rights",
		Long: `Shows a system: its gate type, what it requires, its objects, rights and seats, and the
file in which it is written. With -o json also the whole document.`,
		Example: "  gatemap system show archive\n  gatemap system show archive -o json", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
		RunE: func(cmd *cobra.Command, args []string) error {
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.SystemInfo, error) {
				return asker.System(ctx, args[0])
			}, a.systemText, func(s *answer.SystemInfo) [][]string {
				rows := [][]string{{"system", "type", "title", "directory", "requires", "file", "what", "name"}}
				add := func(what string, names []string) {
					for _, n := range names {
						rows = append(
							rows,
							[]string{s.System, s.Type, s.Title, s.Directory, strings.Join(s.Requires, "; "), s.File, what, n},
						)
					}
				}
				add("object", s.Objects)
				add("right", s.Rights)
				return rows
			})
		},
	}
}

func (a *app) systemText(s *answer.SystemInfo) error {
	a.print("%s  %s\n", a.paint(strong, s.System), s.Title)
	field := func(name, value string) {
		if value != "" {
			a.print("  %s  %s\n", pad(name, 9), value)
		}
	}
	field("Type", s.Type)
	field("Directory", s.Directory)
	field("Requires", strings.Join(s.Requires, ", "))
	field("File", s.File)
	list := func(heading string, names []string) {
		if len(names) == 0 {
			return
		}
		a.print("\n%s\n", a.paint(strong, heading))
		for _, n := range names {
			a.print("  %s\n", n)
		}
	}
	list("Objects", s.Objects)
	list("Rights", s.Rights)
	seats := make([]string, len(s.Seats))
	for i, x := range s.Seats {
		seats[i] = fmt.Sprintf("%s  %d of %d taken", x.Product, min(x.Holders, x.Seats), x.Seats)
		if x.Holders > x.Seats {
			seats[i] += fmt.Sprintf(", %s without one", count(x.Holders-x.Seats, "holder", "holders"))
		}
	}
	list("Seats", seats)
	a.print("\nIts lines:  gatemap system lines %s\n", s.System)
	return nil
}

func (a *app) systemLines() *cobra.Command {
	return &cobra.Command{
		Use: "lines SYSTEM", Short: "The lines of a system, in order, with for how many people they are",
		Example: "  gatemap system lines core-net\n  gatemap system lines archive -o csv", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
		RunE: func(cmd *cobra.Command, args []string) error {
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Lines, error) {
				return asker.Lines(ctx, args[0])
			}, func(l *answer.Lines) error {
				if len(l.Lines) == 0 {
					a.print("%s has no lines. Add one:  gatemap trial line add TRIAL %s LIST VALUE\n", l.System, l.System)
					return nil
				}
				a.lineList(l.Lines)
				return nil
			}, linesTable)
		},
	}
}

func linesTable(l *answer.Lines) [][]string {
	rows := [][]string{{"line", "list", "number", "people", "groups", "file", "row", "value"}}
	for _, x := range l.Lines {
		rows = append(
			rows,
			[]string{
				x.Line,
				x.List,
				strconv.Itoa(x.Number),
				strconv.Itoa(x.People),
				strings.Join(x.Groups, "; "),
				x.File,
				strconv.Itoa(x.Row),
				string(x.Value),
			},
		)
	}
	return rows
}

func (a *app) systemRoles() *cobra.Command {
	return &cobra.Command{
		Use: "roles SYSTEM", Short: "The roles of a system, each with its rights",
		Long: `Lists each role with the rights that it gives, after includes and without are applied. For
an app each right has its breadth.`,
		Example: "  gatemap system roles archive\n  gatemap system roles proposals -o csv", Args: cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
		RunE: func(cmd *cobra.Command, args []string) error {
			return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.SystemRoles, error) {
				s, err := asker.System(ctx, args[0])
				if err != nil {
					return nil, err
				}
				return &answer.SystemRoles{System: s.System, Type: s.Type, Roles: s.Roles}, nil
			}, func(s *answer.SystemRoles) error {
				if len(s.Roles) == 0 {
					a.print("%s has no roles: the lines of a system of type %s give rights directly.\n", s.System, s.Type)
				}
				for _, r := range s.Roles {
					a.print("%s\n", a.paint(strong, r.Role))
					for _, right := range r.Rights {
						a.print("  %s\n", right)
					}
					if len(r.Rights) == 0 {
						a.print("  no rights\n")
					}
				}
				return nil
			}, func(s *answer.SystemRoles) [][]string {
				rows := [][]string{{"system", "role", "right"}}
				for _, r := range s.Roles {
					for _, right := range r.Rights {
						rows = append(rows, []string{s.System, r.Role, right})
					}
				}
				return rows
			})
		},
	}
}

// flow writes what is written of a line on one line, as YAML.
func flow(raw json.RawMessage) string {
	v, err := mapfile.ParseValue(string(raw))
	if err != nil {
		return ""
	}
	return v.String()
}

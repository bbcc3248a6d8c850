package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/mapfile"
	"gatemap/workspace"
)

// Where the map cannot be asked there are no completions, and never an error.

const noFiles = cobra.ShellCompDirectiveNoFileComp

// completeArgs completes each argument in turn.
func (a *app) completeArgs(each ...cobra.CompletionFunc) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if len(args) >= len(each) || each[len(args)] == nil {
			return nil, noFiles
		}
		return each[len(args)](cmd, args, typed)
	}
}

// complete completes arguments with names from the map: one kind for each
// argument in turn.
func (a *app) complete(kinds ...answer.Kind) cobra.CompletionFunc {
	each := make([]cobra.CompletionFunc, len(kinds))
	for i, kind := range kinds {
		each[i] = a.names(kind)
	}
	return a.completeArgs(each...)
}

// names completes with names of one kind, or with an empty kind of all.
func (a *app) names(kind answer.Kind) cobra.CompletionFunc {
	return func(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		asker, err := a.asker(cmd.Context())
		if err != nil {
			return nil, noFiles
		}
		page, err := asker.Search(cmd.Context(), typed, kind, 0, "")
		if err != nil {
			return nil, noFiles
		}
		var names []string
		for _, item := range page.Items {
			full := item.Name
			_, bare, _ := strings.Cut(full, "/")
			switch {
			case hasPrefixFold(bare, typed) && bare != "":
				names = append(names, cobra.CompletionWithDesc(bare, item.Title))
			case hasPrefixFold(full, typed):
				names = append(names, cobra.CompletionWithDesc(full, item.Title))
			}
		}
		return names, noFiles
	}
}

func hasPrefixFold(s, prefix string) bool {
	return len(s) >= len(prefix) && strings.EqualFold(s[:len(prefix)], prefix)
}

// beginning are those of some texts that begin with what was typed.
func beginning(texts []string, typed string) []string {
	var found []string
	for _, t := range texts {
		if hasPrefixFold(t, typed) {
			found = append(found, t)
		}
	}
	return found
}

// ofSystem completes with something of the system that an argument names.
func (a *app) ofSystem(at int, list func(*answer.SystemInfo) []string) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if at >= len(args) {
			return nil, noFiles
		}
		asker, err := a.asker(cmd.Context())
		if err != nil {
			return nil, noFiles
		}
		s, err := asker.System(cmd.Context(), args[at])
		if err != nil {
			return nil, noFiles
		}
		return beginning(list(s), typed), noFiles
	}
}

// rights completes with the rights of the system that an argument names.
func (a *app) rights(at int) cobra.CompletionFunc {
	return a.ofSystem(at, func(s *answer.SystemInfo) []string { return s.Rights })
}

// onFlag adds --on, the object of a question about the system that an argument names.
func (a *app) onFlag(cmd *cobra.Command, object *string, at int) {
	cmd.Flags().StringVar(object, "on", "", "the object, such as a path or a product")
	_ = cmd.RegisterFlagCompletionFunc("on", a.ofSystem(at, func(s *answer.SystemInfo) []string { return s.Objects }))
}

// lists completes with the lists of lines of the system that an argument names.
func (a *app) lists(at int) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		named, _ := a.systemLists(cmd, args, at)
		return beginning(named, typed), noFiles
	}
}

// systemLists are the lists of lines of a system that have names of their own, and the
// lines of the system.
func (a *app) systemLists(cmd *cobra.Command, args []string, at int) ([]string, []answer.Line) {
	asker, err := a.asker(cmd.Context())
	if err != nil || at >= len(args) {
		return nil, nil
	}
	s, err := asker.System(cmd.Context(), args[at])
	if err != nil {
		return nil, nil
	}
	lines, err := asker.Lines(cmd.Context(), args[at])
	if err != nil {
		return nil, nil
	}
	var named []string
	if g, known := types.Named(s.Type); known {
		named = slices.DeleteFunc(mapfile.LineLists(g), func(l string) bool { return strings.Contains(l, "*") })
	}
	for _, l := range lines.Lines {
		if l.List != "" && !slices.Contains(named, l.List) {
			named = append(named, l.List)
		}
	}
	return named, lines.Lines
}

// lines completes with the lines in the list that an argument names.
func (a *app) lines(system, list int) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		_, lines := a.systemLists(cmd, args, system)
		var names []string
		for _, l := range lines {
			if _, own, _ := strings.Cut(l.Line, "/"); l.List == args[list] && hasPrefixFold(own, typed) {
				names = append(names, cobra.CompletionWithDesc(own, flow(l.Value)))
			}
		}
		return names, noFiles
	}
}

// trialNames are the trials that are open, without what they are on the map.
func (a *app) trialNames(ctx context.Context) ([]answer.Trial, error) {
	folder, _, err := a.place()
	if err != nil {
		return nil, err
	}
	if folder.value != "" {
		return workspace.TrialsIn(folder.value)
	}
	c, err := a.service()
	if err != nil {
		return nil, err
	}
	all, err := c.Trials(ctx)
	if err != nil {
		return nil, err
	}
	return all.Trials, nil
}

// completeTrial completes the name of a trial, as the first argument or as the value of a
// flag.
func (a *app) completeTrial(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
	all, err := a.trialNames(cmd.Context())
	if err != nil {
		return nil, noFiles
	}
	var names []string
	for _, t := range all {
		if hasPrefixFold(t.Name, typed) {
			names = append(names, cobra.CompletionWithDesc(t.Name, t.Note))
		}
	}
	return names, noFiles
}

// chosen says that the value of a flag is none of those allowed.
func chosen(flag, value string, allowed []string) error {
	if value == "" || slices.Contains(allowed, value) {
		return nil
	}
	return &usageError{
		fmt.Sprintf(
			"--%s %q: one of %s%s",
			flag,
			value,
			strings.Join(allowed, ", "),
			name.DidYouMean(name.Near(value, slices.Values(allowed))),
		),
	}
}

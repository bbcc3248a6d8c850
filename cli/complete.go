package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
)

// complete completes arguments with names from the map: one kind for each
// argument in turn.
func (a *app) complete(kinds ...answer.Kind) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if len(args) >= len(kinds) {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return a.names(kinds[len(args)])(cmd, args, typed)
	}
}

// names completes with names of one kind. Where the map cannot be asked there
// are no completions.
func (a *app) names(kind answer.Kind) cobra.CompletionFunc {
	return func(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		asker, err := a.asker(cmd.Context())
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		page, err := asker.Search(cmd.Context(), typed, kind, 0, "")
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
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
		return names, cobra.ShellCompDirectiveNoFileComp
	}
}

func hasPrefixFold(s, prefix string) bool {
	return len(s) >= len(prefix) && strings.EqualFold(s[:len(prefix)], prefix)
}

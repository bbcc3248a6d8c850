package cli

import (
	"github.com/spf13/cobra"

	"gatemap/service/content"
)

func (a *app) schema() *cobra.Command {
	return &cobra.Command{
		Use:   "schema",
		Short: "The JSON Schema of a map folder's documents",
		Long: `Prints a JSON Schema (2020-12) of the documents of a map folder. Editors use it to complete
and check them.`,
		Example: `  gatemap schema > gatemap.schema.json`,
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			s, err := content.Schema()
			if err != nil {
				return err
			}
			a.print("%s\n", s)
			return nil
		},
	}
}

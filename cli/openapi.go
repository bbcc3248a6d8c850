package cli

import (
	"encoding/json"

	"github.com/go-chi/chi/v5"
	"github.com/spf13/cobra"

	"gatemap/server"
)

func (a *app) openapi() *cobra.Command {
	return &cobra.Command{
		Use:     "openapi",
		Short:   "The OpenAPI document of the service's API",
		Example: `  gatemap openapi > gatemap.openapi.json`,
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			doc, err := json.MarshalIndent(
				server.Operations(chi.NewRouter(), chi.NewRouter(), chi.NewRouter(), nil, nil, Version),
				"",
				"  ",
			)
			if err != nil {
				return err
			}
			a.print("%s\n", doc)
			return nil
		},
	}
}

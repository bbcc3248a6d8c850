package federation

import (
	"slices"

	"gatemap/core/gate"
)

// Catalogue lists the relying parties; the right is signing in.
func (b *bureau) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: slices.Collect(b.PartyNames), Rights: []string{signIn}, Open: true}
}

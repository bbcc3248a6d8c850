package licences

import (
	"slices"

	"gatemap/core/gate"
)

// Catalogue lists the products and their features.
func (t *shelf) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: slices.Sorted(t.productNames()), Rights: slices.Compact(slices.Sorted(t.features("")))}
}

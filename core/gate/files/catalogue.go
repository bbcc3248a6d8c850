package files

import (
	"slices"

	"gatemap/core/gate"
)

// Catalogue lists the shares and their declared folders, and the five rights.
func (c *cabinet) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: slices.Collect(c.objects), Rights: rights}
}

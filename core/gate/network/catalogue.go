package network

import (
	"slices"

	"gatemap/core/gate"
)

// Catalogue lists the kinds of network with admission, and the tags.
func (p *porter) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: append(slices.Clone(ways), tagObject), Rights: append([]string{admit}, p.names...)}
}

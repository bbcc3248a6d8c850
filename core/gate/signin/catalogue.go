package signin

import (
	"gatemap/core/gate"
)

// Catalogue lists the systems, of which each can be signed in to; the right is signing in.
func (g *guard) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: g.apps, Rights: []string{signIn}}
}

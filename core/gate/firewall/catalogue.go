package firewall

import (
	"slices"

	"gatemap/core/gate"
)

// Catalogue lists the zones and the services, and the addresses and ports that permitting
// rules name.
func (w *wall) Catalogue() gate.Catalogue {
	c := gate.Catalogue{Objects: slices.Clone(w.names), Rights: slices.Collect(w.serviceNames)}
	for _, p := range w.listed {
		c.Objects, c.Rights = append(c.Objects, p.object), append(c.Rights, p.right)
	}
	slices.Sort(c.Objects)
	slices.Sort(c.Rights)
	return gate.Catalogue{Objects: slices.Compact(c.Objects), Rights: slices.Compact(c.Rights), Open: true}
}

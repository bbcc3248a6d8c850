package hosts

import (
	"slices"

	"gatemap/core/gate"
)

// Catalogue lists the hosts, and login with the command patterns of all elevate lines.
func (y *yard) Catalogue() gate.Catalogue {
	c := gate.Catalogue{Objects: y.hosts, Rights: []string{login}, Open: true}
	for i := range y.lifts {
		for _, p := range y.lifts[i].commands {
			c.Rights = append(c.Rights, "run "+p.Value+" as "+y.lifts[i].as)
		}
	}
	slices.Sort(c.Rights[1:])
	c.Rights = slices.Compact(c.Rights)
	return c
}

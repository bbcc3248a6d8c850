package deliveries

import (
	"context"
	"fmt"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/finding"
)

// Findings are the systems of which the newest delivery did not arrive: it is held, failed, or was cut
// off.
func (s *Deliveries) Findings(ctx context.Context) (all []finding.Finding) {
	for _, x := range s.Head().Atlas.Systems {
		link := connect.LinkOf(x.Document)
		if link == nil || link.Deliverer() == nil {
			continue
		}
		newest, err := s.List(ctx, x.Name(), 1, "")
		if err != nil {
			s.Log.Warn("the deliveries cannot be read", "error", err)
			return nil
		}
		if len(newest.Deliveries) == 0 {
			continue
		}
		d := &newest.Deliveries[0]
		why, fix := d.Error, fmt.Sprintf("Run it again: gatemap delivery run %s.", x.Name())
		switch d.State {
		case answer.DeliveryHeld:
			why, fix = d.Held, fmt.Sprintf("Look at it, and confirm it if that is meant: gatemap delivery show %d.", d.ID)
		case answer.DeliveryFailed, answer.DeliveryCutOff:
		default:
			continue
		}
		f := finding.New(finding.Undelivered, x.Document.Link.Place,
			fmt.Sprintf("Delivery %d to the system %s did not arrive (%s): %s.", d.ID, x.Name(), d.State, why), fix, x.Name())
		f.Where.System = x.Name()
		all = append(all, f)
	}
	finding.Sort(all)
	return all
}

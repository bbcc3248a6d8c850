package deliveries

import (
	"fmt"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/reading"
	"gatemap/service/query"
)

// target is a system that is delivered to.
type target struct {
	head      *query.Head
	document  *gate.System
	link      connect.Link
	observing *connect.Observing
	deliver   connect.Deliverer
	mark      connect.Mark
	asked     answer.DeliveryAsked
	wanted    *delivery.Wanted // of the last plan
}

// target finds a system that is delivered to. The error is a *directory.NotFoundError or an
// *answer.ConflictError.
func (s *maker) target(system string, asked answer.DeliveryAsked) (*target, error) {
	head := s.Head()
	found, err := head.Atlas.System(system)
	if err != nil {
		return nil, err
	}
	t := &target{
		head: head, document: found.Document, link: connect.LinkOf(found.Document),
		observing: &connect.Observing{System: found.Document, Host: *s.Host},
		mark:      connect.Mark{Map: s.mark, System: found.Name()}, asked: asked,
	}
	refused := func(format string, args ...any) error {
		return &answer.ConflictError{Message: fmt.Sprintf(format, args...)}
	}
	switch {
	case t.link == nil:
		return nil, refused(
			"the system %s has no link, so that nothing can be delivered there: give its document the key link",
			found.Name(),
		)
	case t.document.Link.Deliver == gate.Never:
		return nil, refused("nothing is delivered to %s: its link says deliver: never", found.Name())
	}
	if t.deliver = t.link.Deliverer(); t.deliver == nil {
		return nil, refused(
			"nothing can be delivered to %s: its link lacks what that needs (docs/connected.md, %s)",
			found.Name(),
			t.link.Connector().Name,
		)
	}
	return t, nil
}

// plan is with which statements the system comes to hold what the map says, from what was read.
func (t *target) plan(r *reading.Reading) (*delivery.Plan, error) {
	c, err := reading.Compile(r, t.head.Atlas, t.document)
	if err != nil {
		return nil, err
	}
	kind, _ := types.Named(t.document.Type.Name)
	compute := delivery.Compute
	if t.deliver.ByAccount() {
		compute = delivery.ByAccount
	}
	w, err := compute(c, kind)
	if err != nil {
		return nil, err
	}
	w.Strangers, t.wanted = t.asked.Strangers, w
	p, err := t.deliver.Plan(r, w, t.mark)
	if err != nil {
		return nil, err
	}
	p.Left, p.Problems = append(w.Left, p.Left...), append(w.Problems, p.Problems...)
	return p, nil
}

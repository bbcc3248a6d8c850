package deliveries

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/packed"
	"gatemap/store"
)

// maker works out what is to be delivered, and has it made.
type maker struct {
	*journal
	mark string // of the map, in systems
	mu   sync.Mutex
	busy map[string]*sync.Mutex // by the folded names of systems
}

// lock makes others wait who deliver to a system.
func (s *maker) lock(system string) (unlock func()) {
	s.mu.Lock()
	key := name.Fold(system)
	if s.busy[key] == nil {
		s.busy[key] = &sync.Mutex{}
	}
	own := s.busy[key]
	s.mu.Unlock()
	own.Lock()
	return own.Unlock
}

// begin reads a system, and works out what is to be delivered to it.
func (s *maker) begin(
	ctx context.Context,
	by operator.Actor,
	how, system string,
	asked answer.DeliveryAsked,
) (*store.Delivery, error) {
	t, err := s.target(system, asked)
	if err != nil {
		return nil, err
	}
	defer s.lock(t.document.Name)()
	began := time.Now()
	p, err := connect.Planned(t.plan).Now(ctx, t.observing)
	if err != nil {
		return nil, &answer.ConflictError{Message: err.Error()}
	}
	report := answer.DeliveryReport{
		Statements: len(p.Statements), Grants: p.Held, Taken: p.Taken, LeftOut: leftOf(p),
		Strangers: asked.Strangers, Held: t.held(p),
	}
	d := &store.Delivery{
		System:   t.document.Name,
		Revision: t.head.Revision.Number,
		How:      how,
		BegunBy:  by.Name,
		Began:    began,
	}
	switch {
	case len(p.Statements) == 0 && by.IsService(): // there is nothing to tell
		d.State = string(answer.DeliveryUnchanged)
		return d, s.overtake(ctx, d.System)
	case len(p.Statements) == 0:
		d.State, d.Ended = string(answer.DeliveryUnchanged), time.Now()
	case report.Held != "":
		d.State = string(answer.DeliveryHeld)
	default:
		d.State = string(answer.DeliveryWaiting)
	}
	if d.Plan, err = packed.Pack(kept{p.Statements, p.Left, t.wanted.Through, p.Problems, p.Stays}); err != nil {
		return nil, err
	}
	if err := setReport(d, &report); err != nil {
		return nil, err
	}
	if err := s.overtake(ctx, d.System); err != nil {
		return nil, err
	}
	var entries []store.Entry
	if !by.IsService() {
		detail := fmt.Sprintf("worked out what is to be delivered, statements: %d", report.Statements)
		entries = append(entries, audit.Of(by, "delivery", d.System, audit.Done, detail))
	}
	if err := s.Store.BeginDelivery(ctx, d, entries...); err != nil {
		return nil, err
	}
	s.tell(d)
	return d, nil
}

func leftOf(p *delivery.Plan) (n int) {
	for i := range p.Left {
		n += p.Left[i].All
	}
	return n
}

// held says why a delivery is held until someone confirms it; "" if it is not.
func (t *target) held(p *delivery.Plan) string {
	limit := t.document.Link.Limit()
	if p.Taken == 0 || !limit.Exceeded(p.Taken, p.Held) {
		return ""
	}
	return fmt.Sprintf(
		"it would take away %d of %d grants, memberships and accounts (%.1f%%); the removal limit of the link is %s",
		p.Taken,
		p.Held,
		100*float64(p.Taken)/float64(max(1, p.Held)),
		limit,
	)
}

// open are the states in which a delivery can be committed.
var open = []string{string(answer.DeliveryWaiting), string(answer.DeliveryHeld)}

// work is a delivery with the system that it is to, and with what it was looked at with.
type work struct {
	*target
	report *answer.DeliveryReport
	agreed *delivery.Plan
}

func (s *maker) work(ctx context.Context, d *store.Delivery) (*work, error) {
	report, err := reportOf(d)
	if err != nil {
		return nil, err
	}
	t, err := s.target(d.System, answer.DeliveryAsked{Strangers: report.Strangers})
	if err != nil {
		return nil, err
	}
	k, err := s.keptOf(ctx, d)
	if err != nil {
		return nil, err
	}
	return &work{t, report, &delivery.Plan{Statements: k.Statements}}, nil
}

// deliver makes the statements. That they are about to be made is kept before the first of them is,
// so that the next start knows after a crash.
func (s *maker) deliver(ctx context.Context, by operator.Actor, d *store.Delivery) error {
	w, err := s.work(ctx, d)
	if err != nil {
		return err
	}
	defer s.lock(d.System)()
	w.report.By = by.Name
	d.State = string(answer.DeliveryDelivering)
	if err := setReport(d, w.report); err != nil {
		return err
	}
	exempt := ""
	if by.IsService() {
		if exempt, err = s.Rights.Exempt(ctx,
			"; the two-person rule does not apply to what the service delivers by itself"); err != nil {
			return err
		}
	}
	begins := audit.Of(
		by,
		"deliver",
		d.System,
		audit.Done,
		fmt.Sprintf("delivery %d, statements: %d%s", d.ID, len(w.agreed.Statements), exempt),
	)
	moved, err := s.Store.UpdateDelivery(ctx, d, open, begins)
	if err != nil {
		return err
	}
	if moved {
		return meanwhile(d)
	}
	s.tell(d)
	err = w.deliver.Deliver(ctx, w.observing, w.agreed, w.plan)
	if errors.Is(err, connect.ErrHandedOut) {
		return s.move(ctx, d, answer.DeliveryHandedOut, w.report)
	}
	if err != nil {
		s.Log.Warn("a delivery failed", "system", d.System, "delivery", d.ID, "error", err)
		failed := audit.Of(by, "deliver", d.System, audit.Refused, fmt.Sprintf("delivery %d failed: %v", d.ID, err))
		if err := s.end(ctx, d, answer.DeliveryFailed, func(r *answer.DeliveryReport) { r.Error = err.Error() },
			failed); err != nil {
			return err
		}
		return &answer.ConflictError{Message: err.Error()}
	}
	s.Log.Info("delivered", "system", d.System, "delivery", d.ID, "statements", len(w.agreed.Statements))
	return s.arrived(ctx, d)
}

// arrived reads a system again, and says what is there now.
func (s *maker) arrived(ctx context.Context, d *store.Delivery) error {
	_, err := s.Readings.Read(ctx, operator.Service, d.System)
	var drift *answer.Drift
	if err == nil {
		drift, err = s.Readings.Drift(ctx, d.System, answer.DriftAsked{Limit: 1})
	}
	return s.end(ctx, d, answer.DeliveryArrived, func(r *answer.DeliveryReport) {
		if err != nil {
			r.Error = "all statements were made, and it cannot be read again: " + err.Error()
			return
		}
		r.Read, r.Excess, r.Short = &drift.At, drift.Excess, drift.Short
	})
}

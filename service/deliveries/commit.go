package deliveries

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/keeping"
	"gatemap/service/packed"
	"gatemap/service/rights"
	"gatemap/store"
)

// open are the states in which a delivery can be committed.
var open = []string{string(answer.DeliveryWaiting), string(answer.DeliveryHeld)}

// Commit makes the statements of a delivery, and reads the system again. It waits for it for a while:
// what it does not wait for goes on, and the answer says that it does. The error is an
// *answer.ConflictError that says what keeps it, or an *operator.ForbiddenError.
func (s *Deliveries) Commit(
	ctx context.Context,
	by operator.Actor,
	id int64,
	confirm bool,
	wait time.Duration,
) (*answer.Delivery, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	if err := s.Rights.MayDeliver(ctx, by, d.System, rights.Begun{By: d.BegunBy, Did: "ran this delivery"}); err != nil {
		return nil, err
	}
	report, err := reportOf(d)
	if err != nil {
		return nil, err
	}
	switch state := answer.DeliveryState(d.State); {
	case !state.Open():
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf("delivery %d to %s does not wait any more (%s): run it again", d.ID, d.System, d.State),
		}
	case state == answer.DeliveryHeld && !confirm:
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf("delivery %d to %s is held: %s. Confirm it, if that is meant", d.ID, d.System, report.Held),
		}
	}
	if _, _, err := keeping.Awhile(ctx, s.Working, wait, func() (struct{}, error) {
		return struct{}{}, s.deliver(context.WithoutCancel(ctx), by, d)
	}); err != nil {
		return nil, err
	}
	return s.Find(ctx, id)
}

// work is a delivery with the system that it is to, and with what it was looked at with.
type work struct {
	*target
	report *answer.DeliveryReport
	agreed *delivery.Plan
}

func (s *Deliveries) work(ctx context.Context, d *store.Delivery) (*work, error) {
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
func (s *Deliveries) deliver(ctx context.Context, by operator.Actor, d *store.Delivery) error {
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
		return &answer.ConflictError{
			Message: fmt.Sprintf("delivery %d to %s was committed or discarded meanwhile", d.ID, d.System),
		}
	}
	s.tell(d)
	err = w.deliver.Deliver(ctx, s.observing(w.target), w.agreed, w.plan)
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
func (s *Deliveries) arrived(ctx context.Context, d *store.Delivery) error {
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

// move notes that a delivery got further, and has not ended.
func (s *Deliveries) move(
	ctx context.Context,
	d *store.Delivery,
	state answer.DeliveryState,
	report *answer.DeliveryReport,
) error {
	was := d.State
	d.State = string(state)
	if err := setReport(d, report); err != nil {
		return err
	}
	_, err := s.Store.UpdateDelivery(ctx, d, []string{was})
	s.tell(d)
	return err
}

func (s *Deliveries) keptOf(ctx context.Context, d *store.Delivery) (*kept, error) {
	raw, err := s.Store.DeliveryPlan(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	return packed.Unpack[kept](raw)
}

// end ends a delivery.
func (s *Deliveries) end(
	ctx context.Context,
	d *store.Delivery,
	state answer.DeliveryState,
	tell func(*answer.DeliveryReport),
	entries ...store.Entry,
) error {
	report, err := reportOf(d)
	if err != nil {
		return err
	}
	tell(report)
	was := d.State
	d.State, d.Ended = string(state), time.Now()
	if err := setReport(d, report); err != nil {
		return err
	}
	moved, err := s.Store.UpdateDelivery(ctx, d, []string{was}, entries...)
	if err == nil && moved {
		err = &answer.ConflictError{
			Message: fmt.Sprintf("delivery %d to %s was committed or discarded meanwhile", d.ID, d.System),
		}
	}
	s.tell(d)
	return err
}

func reportOf(d *store.Delivery) (*answer.DeliveryReport, error) {
	r := &answer.DeliveryReport{}
	return r, json.Unmarshal(d.Report, r)
}

func setReport(d *store.Delivery, r *answer.DeliveryReport) (err error) {
	d.Report, err = json.Marshal(r)
	return err
}

// Discard ends a delivery that waits.
func (s *Deliveries) Discard(ctx context.Context, by operator.Actor, id int64) (*answer.Delivery, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	if state := answer.DeliveryState(d.State); !state.Open() && state != answer.DeliveryHandedOut {
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf("delivery %d to %s does not wait (%s): there is nothing to discard", d.ID, d.System, d.State),
		}
	}
	entry := audit.Of(by, "delivery", d.System, audit.Done, fmt.Sprintf("discarded delivery %d", d.ID))
	if err := s.end(ctx, d, answer.DeliveryDiscarded, func(*answer.DeliveryReport) {}, entry); err != nil {
		return nil, err
	}
	return s.Find(ctx, id)
}

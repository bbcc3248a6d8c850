// Package deliveries brings linked systems to what the map says: it works out with which statements,
// shows them, has them made, and reads again (docs/connected.md, "Delivery"). Nothing reaches a
// system that was not shown before. It does not change the map.
package deliveries

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"github.com/google/uuid"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/events"
	"gatemap/service/keeping"
	"gatemap/service/query"
	"gatemap/service/readings"
	"gatemap/service/rights"
	"gatemap/store"
)

// Ports are what deliveries need of the workspace that they are of.
type Ports struct {
	Store      *store.Store
	Head       func() *query.Head
	Host       *connect.Host
	Rights     *rights.Rights
	Readings   *readings.Readings
	Events     *events.Events
	Log        *slog.Logger
	Closing    context.Context // ends when the workspace is being closed
	Working    *sync.WaitGroup // counts what goes on
	RetryAfter time.Duration   // how long is waited after a delivery that could not be made, at first; 0: a minute
}

// Deliveries are the deliveries of one map. They are safe for use by many.
type Deliveries struct {
	*journal
	maker *maker
}

// settingMap is the name of the setting that holds what the map is called in systems.
const settingMap = "map-mark"

// Open makes ready to deliver. Deliveries that a stop cut off are looked at by Follow.
func Open(ctx context.Context, p Ports) (*Deliveries, error) {
	mark, err := p.Store.Setting(ctx, settingMap)
	if err == nil && mark == "" {
		mark = uuid.NewString()
		err = p.Store.Set(ctx, map[string]string{settingMap: mark})
	}
	if err != nil {
		return nil, err
	}
	all := &journal{&p}
	return &Deliveries{all, &maker{journal: all, mark: mark, busy: map[string]*sync.Mutex{}}}, nil
}

// Run reads a system, and works out what is to be delivered to it. It then waits to be committed.
func (s *Deliveries) Run(
	ctx context.Context,
	by operator.Actor,
	system string,
	asked answer.DeliveryAsked,
) (*answer.Delivery, error) {
	d, err := s.maker.begin(ctx, by, "hand", system, asked)
	if err != nil {
		return nil, err
	}
	return s.Find(ctx, d.ID)
}

// Start is Run that is waited for a while only: what takes longer goes on, and is in the list when it
// is worked out, as the error says.
func (s *Deliveries) Start(
	ctx context.Context,
	by operator.Actor,
	system string,
	asked answer.DeliveryAsked,
	wait time.Duration,
) (*answer.Delivery, error) {
	d, over, err := keeping.Awhile(
		ctx,
		s.Working,
		wait,
		func() (*answer.Delivery, error) { return s.Run(s.Closing, by, system, asked) },
	)
	if !over && err == nil {
		err = &answer.ConflictError{Message: fmt.Sprintf("the system %s is still being read: "+
			"what is to be delivered is in gatemap delivery list when it is worked out", system)}
	}
	return d, err
}

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
		return struct{}{}, s.maker.deliver(context.WithoutCancel(ctx), by, d)
	}); err != nil {
		return nil, err
	}
	return s.Find(ctx, id)
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

// Script is a delivery as a script that an administrator can run by hand.
func (s *Deliveries) Script(ctx context.Context, id int64) (*answer.DeliveryScript, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	w, err := s.maker.work(ctx, d)
	if err != nil {
		return nil, err
	}
	return &answer.DeliveryScript{Script: w.deliver.Script(w.agreed)}, nil
}

// Follow ends what a stop cut off, and delivers to systems that are delivered to at every commit,
// and whenever the account of somebody ends, until the workspace is closed.
func (s *Deliveries) Follow() {
	happened := s.Events.Listen(s.Closing)
	s.Working.Go(func() { (&follower{s.maker}).run(happened) })
}

package deliveries

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/events"
	"gatemap/service/query"
	"gatemap/store"
)

// follower delivers by itself.
type follower struct{ *maker }

// run ends what a stop cut off, and delivers until the workspace is closed.
func (s *follower) run(revisions <-chan events.Event) {
	if err := s.resume(s.Closing); err != nil {
		s.Log.Error("deliveries that were cut off cannot be looked at", "error", err)
	}
	how := "commit"
	for {
		if err := s.Store.PruneDeliveries(s.Closing, time.Now()); err != nil && s.Closing.Err() == nil {
			s.Log.Warn("old deliveries cannot be let go", "error", err)
		}
		head := s.Head()
		s.all(s.Closing, head, how)
		var ends <-chan time.Time
		if at, some := nextEnd(head, time.Now()); some {
			ends = time.After(min(time.Until(at)+time.Second, 24*time.Hour))
		}
		how = ""
		for how == "" {
			select {
			case e, more := <-revisions:
				if !more {
					return
				}
				if e.Revision > 0 {
					how = "commit"
				}
				if e.Reading != "" {
					s.ticked(s.Closing, e.Reading)
				}
			case <-ends:
				how = "time"
			}
		}
	}
}

// all delivers to all systems that are delivered to at every commit. One that cannot be delivered to
// is tried again, in order, until it can.
func (s *follower) all(ctx context.Context, head *query.Head, how string) {
	for _, x := range head.Atlas.Systems {
		if l := connect.LinkOf(x.Document); l == nil || x.Document.Link.Deliver != gate.OnCommit || l.Deliverer() == nil {
			continue
		}
		system := x.Name()
		s.Working.Go(func() { s.until(ctx, system, how, head.Revision.Number) })
	}
}

// After a delivery that could not be made so long is waited, and after each further one twice as
// long, up to the most.
const (
	retried = time.Minute
	mostly  = 15 * time.Minute
)

// until delivers what the map says to a system, until that is done, there is a newer revision, which
// delivers as well, or the workspace is closed.
func (s *follower) until(ctx context.Context, system, how string, revision int) {
	for wait := cmp.Or(s.RetryAfter, retried); ctx.Err() == nil &&
		s.Head().Revision.Number == revision; wait = min(2*wait, mostly) {
		err := s.byItself(ctx, system, how)
		if err == nil {
			return
		}
		s.Log.Warn("a system cannot be delivered to", "system", system, "error", err)
		select {
		case <-ctx.Done():
		case <-time.After(wait):
		}
	}
}

// byItself delivers to a system, unless it has to be confirmed.
func (s *follower) byItself(ctx context.Context, system, how string) error {
	d, err := s.begin(ctx, operator.Service, how, system, answer.DeliveryAsked{})
	if err != nil {
		return err
	}
	if d.State != string(answer.DeliveryWaiting) {
		return nil
	}
	return s.deliver(ctx, operator.Service, d)
}

// nextEnd is when the account of somebody ends next.
func nextEnd(head *query.Head, now time.Time) (at time.Time, some bool) {
	for u := range head.Atlas.Book.AllUsers {
		if e := head.Atlas.Book.User(u).Expires; !e.IsZero() && e.After(now) && (!some || e.Before(at)) {
			at, some = e.Time, true
		}
	}
	return at, some
}

// ticked looks at what was handed out for a system that was just read: what is not to be done any
// more was done.
func (s *follower) ticked(ctx context.Context, system string) {
	rows, err := s.Store.OpenDeliveries(ctx)
	if err == nil {
		for i := range rows {
			if d := &rows[i]; name.Equal(d.System, system) && d.State == string(answer.DeliveryHandedOut) {
				err = errors.Join(err, s.tick(ctx, d))
			}
		}
	}
	if err != nil && ctx.Err() == nil {
		s.Log.Warn("nobody can say what was done of what was handed out", "system", system, "error", err)
	}
}

func (s *follower) tick(ctx context.Context, d *store.Delivery) error {
	w, err := s.work(ctx, d)
	if err != nil {
		return err
	}
	now, err := connect.Planned(w.plan).Now(ctx, w.observing)
	if err != nil {
		return err
	}
	w.report.Done = nil
	for i := range w.agreed.Statements {
		if !now.Has(&w.agreed.Statements[i]) {
			w.report.Done = append(w.report.Done, i)
		}
	}
	if err := s.move(ctx, d, answer.DeliveryHandedOut, w.report); err != nil ||
		len(w.report.Done) < len(w.agreed.Statements) {
		return err
	}
	return s.arrived(ctx, d)
}

// resume looks at the deliveries that a stop cut off: what is there now says whether they were made.
func (s *follower) resume(ctx context.Context) error {
	rows, err := s.Store.OpenDeliveries(ctx)
	if err != nil {
		return err
	}
	for i := range rows {
		d := &rows[i]
		if d.State != string(answer.DeliveryDelivering) {
			continue
		}
		made, err := s.made(ctx, d)
		switch {
		case err != nil:
			err = s.end(ctx, d, answer.DeliveryCutOff, func(r *answer.DeliveryReport) {
				r.Error = "the service stopped in the middle, and nobody can say what is there: " + err.Error()
			})
		case made:
			err = s.arrived(ctx, d)
		default:
			err = s.end(ctx, d, answer.DeliveryCutOff, func(r *answer.DeliveryReport) {
				r.Error = "the service stopped before anything was changed: run it again"
			})
		}
		if err != nil {
			return fmt.Errorf("delivery %d: %w", d.ID, err)
		}
	}
	return nil
}

// made says whether the statements of a delivery were made: none of them is to be made now.
func (s *follower) made(ctx context.Context, d *store.Delivery) (bool, error) {
	w, err := s.work(ctx, d)
	if err != nil {
		return false, err
	}
	defer s.lock(d.System)()
	return w.deliver.Finish(ctx, w.observing, w.agreed, w.plan)
}

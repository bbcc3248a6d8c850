package intake

import (
	"context"
	"fmt"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/change"
)

// pass is how a run goes through the reconciler.
type pass struct {
	Intaking
	// step is for changes that come one by one: what was taken lately counts with it, and
	// they do not wait for who gains and loses what.
	step   bool
	reason string
}

// reconcile is what every run goes through once its records are there, wherever they came
// from: the difference to what is in force is previewed, guarded, and applied or left to
// wait; each is logged.
func (s *Runs) reconcile(ctx context.Context, l *lane, r *run, ready *prepared, how pass) error {
	guard := heldAlone
	if ready.step = how.step; how.step {
		if err := s.plans.remember(ctx, l, ready.directory.Name); err != nil {
			return err
		}
		guard = l.guard
	}
	var err error
	if how.Commit && !how.Confirm {
		if ready, err = s.plans.withoutReused(ctx, ready, how.By, guard); err != nil {
			return err
		}
	}
	outcome := &change.Summary{}
	if !how.step {
		if outcome, err = ready.outcome(); err != nil {
			return err
		}
		s.await(ctx, l, nil) // whatever waited is overtaken
		if err := s.plans.forget(ctx, l, ready.directory.Name); err != nil {
			return err
		}
	}
	v, held := previewOf(ready, outcome), guard(ready)
	r.mu.Lock()
	r.prepared, r.preview = ready, &v.Preview
	r.mu.Unlock()
	report := func(state answer.RunState) error {
		return s.journal.update(ctx, r, func(x *answer.Run) {
			x.Counts, x.Samples, x.Held, x.State = v.Run.Counts, v.samples(), held, state
		})
	}
	switch {
	case ready.empty():
		return report(answer.RunUnchanged)
	case held != "" && !how.Confirm:
		s.await(ctx, l, r)
		return report(answer.RunHeld)
	case !how.Commit:
		s.await(ctx, l, r)
		return report(answer.RunWaiting)
	}
	if err := report(r.snapshot().State); err != nil {
		return err
	}
	s.await(ctx, l, nil)
	return s.apply(ctx, l, r, how, guard)
}

// apply commits a run that has been prepared, unless the guard holds it on what is in force
// by then.
func (s *Runs) apply(ctx context.Context, l *lane, r *run, how pass, guard func(*prepared) string) error {
	r.mu.Lock()
	p := r.prepared
	r.mu.Unlock()
	revision, err := s.plans.commit(ctx, p, how.By, how.reason, func(p *prepared) error {
		if held := guard(p); held != "" && !how.Confirm {
			return &answer.ConflictError{Message: held}
		}
		return nil
	})
	if err != nil {
		return err
	}
	if p.empty() { // what it brings was written there by a commit meanwhile, or came in another way
		return s.journal.update(ctx, r, func(x *answer.Run) { x.State = answer.RunUnchanged })
	}
	if how.step {
		l.lately.note(p.taken(), time.Now())
	}
	return s.journal.update(ctx, r, func(x *answer.Run) { x.State, x.Revision = answer.RunCommitted, revision.Number })
}

// whole reconciles what a run that brought in everything brought.
func (s *Runs) whole(ctx context.Context, l *lane, r *run, records connect.Records, server string, in Intaking) {
	err := s.journal.update(ctx, r, func(x *answer.Run) { x.State, x.Server = answer.RunComparing, server })
	if err == nil {
		var ready *prepared
		if ready, err = s.plans.prepare(s.History.Head(), r.state.Directory,
			brought{records: records, began: r.state.Started}); err == nil {
			err = s.reconcile(ctx, l, r, ready, pass{Intaking: in, reason: intakeReason(r)})
		}
	}
	if err != nil {
		s.journal.fail(ctx, r, err)
	}
}

func intakeReason(r *run) string {
	return fmt.Sprintf("Intake of %s, run %d", r.state.Directory, r.state.ID)
}

// rework puts what a run would do now in the place of what it would have done, as another
// version of it.
func (s *Runs) rework(ctx context.Context, r *run, fresh *prepared, v *preview, held string) error {
	r.mu.Lock()
	r.prepared, r.preview = fresh, &v.Preview
	r.mu.Unlock()
	if err := s.journal.update(ctx, r, func(x *answer.Run) {
		x.Version++
		x.Counts, x.Samples, x.Held = v.Run.Counts, v.samples(), held
	}); err != nil {
		return err
	}
	return s.journal.logRun(ctx, r)
}

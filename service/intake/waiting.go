package intake

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/rights"
	"gatemap/store"
)

// await makes a run the one that waits; one that waited before is dropped.
func (s *Runs) await(ctx context.Context, l *lane, r *run, entries ...store.Entry) {
	l.mu.Lock()
	before := l.pending
	l.pending = r
	l.mu.Unlock()
	if before != nil && before != r {
		if err := s.journal.update(ctx, before, func(x *answer.Run) {
			if x.State.Open() {
				x.State = answer.RunDiscarded
			}
		}, entries...); err != nil {
			s.Log.Error("the log of a run cannot be written", "run", before.state.ID, "error", err)
		}
	}
}

// Commit commits a version of a run that waits, and with confirm of one that is held
// too. Where the map has changed since it was worked out, in what the run would do, it is
// worked out again, and not committed until someone has seen that.
func (s *Runs) Commit(ctx context.Context, id int64, version int, confirm bool, by operator.Actor) (answer.Run, error) {
	if version == 0 {
		return answer.Run{}, &answer.UnseenError{
			Message: "a commit is of the changes that you have seen: send the version of the run in If-Match",
		}
	}
	l, r, err := s.open(ctx, id)
	if err != nil {
		return answer.Run{}, err
	}
	defer l.busy.Unlock()
	state := r.snapshot()
	if version != state.Version {
		return answer.Run{}, overtaken(state)
	}
	if err := s.Rights.MayCommit(ctx, by, rights.Begun{By: state.StartedBy,
		Did: fmt.Sprintf("started run %d", id)}); err != nil {
		return answer.Run{}, err
	}
	if state.State == answer.RunHeld && !confirm {
		return answer.Run{}, &answer.ConflictError{
			Message: fmt.Sprintf("run %d is held: %s. Confirm it to commit it anyway", id, state.Held),
		}
	}
	if err := s.workAgain(ctx, r); err != nil {
		return answer.Run{}, err
	}
	if err := s.apply(ctx, l, r, pass{Intaking: Intaking{Confirm: confirm, By: by}, reason: intakeReason(r)},
		heldAlone); err != nil {
		return answer.Run{}, err
	}
	s.await(ctx, l, nil)
	return r.snapshot(), nil
}

// workAgain works a run out on the map in force, where that has changed. The error is an
// *answer.MovedError where the run would do something else now.
func (s *Runs) workAgain(ctx context.Context, r *run) error {
	r.mu.Lock()
	p, before := r.prepared, *r.preview
	r.mu.Unlock()
	head := s.History.Head()
	if p.head == head {
		return nil
	}
	fresh, err := s.plans.prepare(head, p.directory.Name, p.brought)
	if err != nil {
		return err
	}
	outcome, err := fresh.outcome()
	if err != nil {
		return err
	}
	v := previewOf(fresh, outcome)
	same, err := sameChanges(before, v.Preview)
	if err != nil || same && heldAlone(p) == heldAlone(fresh) {
		return err
	}
	return errors.Join(s.rework(ctx, r, fresh, v, heldAlone(fresh)), overtaken(r.snapshot()))
}

// sameChanges says whether two previews tell the same.
func sameChanges(a, b answer.Preview) (bool, error) {
	a.Run, b.Run = answer.Run{}, answer.Run{}
	x, err := json.Marshal(a)
	if err != nil {
		return false, err
	}
	y, err := json.Marshal(b)
	return bytes.Equal(x, y), err
}

func overtaken(r answer.Run) error {
	return &answer.MovedError{
		Message: fmt.Sprintf(
			"the map has changed since run %d was worked out, and what it would change is at version %d now: "+
				"look at its preview again, then commit that version",
			r.ID,
			r.Version,
		),
	}
}

// Discard lets a run that waits or is held go.
func (s *Runs) Discard(ctx context.Context, id int64, by operator.Actor) (answer.Run, error) {
	if err := by.May(operator.Intake); err != nil {
		return answer.Run{}, err
	}
	l, r, err := s.open(ctx, id)
	if err != nil {
		return answer.Run{}, err
	}
	defer l.busy.Unlock()
	s.await(ctx, l, nil, audit.Of(by, "intake", r.state.Directory, audit.Done, fmt.Sprintf("discarded run %d", id)))
	return r.snapshot(), nil
}

// open finds a run that waits or is held, and takes its lane.
func (s *Runs) open(ctx context.Context, id int64) (*lane, *run, error) {
	state, err := s.journal.Run(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	l := s.lanes.lane(state.Directory)
	if !l.try() {
		return nil, nil, busy(state.Directory)
	}
	r := l.waiting()
	if r == nil || r.state.ID != id {
		l.busy.Unlock()
		if state, err = s.journal.Run(ctx, id); err != nil {
			return nil, nil, err
		}
		return nil, nil, &answer.ConflictError{Message: fmt.Sprintf("run %d cannot be committed: it is %s", id, state.State)}
	}
	return l, r, nil
}

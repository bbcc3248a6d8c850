package connect

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gatemap/core/delivery"
)

// Steps are the deliveries of a system without transactions: one statement after the other, what takes
// away first. Those that were made before one failed stay made.
type Steps struct {
	Observing *Observing
	Timeout   time.Duration // of one statement
	// Make makes one statement.
	Make func(ctx context.Context, s *delivery.Statement) error
	// Text is a statement in a few words, for an error.
	Text func(s *delivery.Statement) string
}

// StepsError says how far a delivery has come.
type StepsError struct {
	Made, Of int
	Err      error
}

func (e *StepsError) Error() string {
	if e.Made == 0 {
		return fmt.Sprintf("nothing was changed: %v", e.Err)
	}
	return fmt.Sprintf(
		"%d of %d statements were made, what takes away first: run it again for the others: %v",
		e.Made,
		e.Of,
		e.Err,
	)
}

func (e *StepsError) Unwrap() error { return e.Err }

// Deliver makes the statements that were agreed to, and sees that nothing is left to do.
func (s *Steps) Deliver(ctx context.Context, agreed *delivery.Plan, plan Planned) error {
	now, err := plan.Now(ctx, s.Observing)
	if err != nil {
		return err
	}
	if !now.Same(agreed) {
		return ErrMoved
	}
	return s.make(ctx, now, plan)
}

// Finish makes what is left of a delivery that was cut off, where some of it was made.
func (s *Steps) Finish(ctx context.Context, agreed *delivery.Plan, plan Planned) (made bool, err error) {
	now, err := plan.Now(ctx, s.Observing)
	if err != nil || len(now.Statements) == 0 {
		return err == nil, err
	}
	for i := range now.Statements {
		if !agreed.Has(&now.Statements[i]) {
			return false, ErrMoved
		}
	}
	if len(now.Statements) == len(agreed.Statements) {
		return false, nil
	}
	err = s.make(ctx, now, plan)
	return err == nil, err
}

// one makes one statement, for as long as it may take.
func (s *Steps) one(ctx context.Context, x *delivery.Statement) error {
	own, cancel := context.WithTimeout(ctx, s.Timeout)
	defer cancel()
	err := s.Make(own, x)
	if err != nil && ctx.Err() == nil && errors.Is(own.Err(), context.DeadlineExceeded) {
		return Late(s.Timeout)
	}
	return err
}

func (s *Steps) make(ctx context.Context, now *delivery.Plan, plan Planned) error {
	for i := range now.Statements {
		x := &now.Statements[i]
		if err := s.one(ctx, x); err != nil {
			return &StepsError{i, len(now.Statements), fmt.Errorf("it does not take %s: %w", s.Text(x), err)}
		}
	}
	after, err := plan.Now(ctx, s.Observing)
	if err != nil {
		return err
	}
	if len(after.Statements) > 0 {
		left := &after.Statements[0]
		return fmt.Errorf("it took all statements, and this is still to be done: %s (%s)", s.Text(left), left.For)
	}
	return nil
}

package changeset

import (
	"errors"
	"fmt"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/operator"
	"gatemap/store"
)

func movedTrial(t *store.Trial) error {
	return &answer.MovedError{
		Message: fmt.Sprintf(
			"the trial %s has changed and is at version %d now: read it again, then repeat the call for that version",
			t.Name,
			t.Version,
		),
	}
}

func notNow(err error) error { return &answer.ConflictError{Message: err.Error()} }

// badChange says which of some changes cannot be made.
func badChange(i, of int, err error) error {
	var missing *directory.NotFoundError
	var forbidden *operator.ForbiddenError
	if errors.As(err, &missing) || errors.As(err, &forbidden) {
		return err
	}
	field := fmt.Sprintf("changes[%d]", i)
	e := &answer.InvalidError{Field: field, Problem: err.Error(), Message: err.Error()}
	if of > 1 {
		e.Message = field + ": " + e.Message
	}
	return e
}

package connect

import (
	"errors"
	"fmt"
	"time"
)

// Look looks at all records that are to be written. The error is of the first that cannot be.
func Look(w Writing, all []*Rewrite) ([]*Modification, error) {
	list := make([]*Modification, 0, len(all))
	for _, r := range all {
		m, err := w.Look(r, false)
		if err != nil {
			return nil, err
		}
		list = append(list, m)
	}
	return list, nil
}

// Make makes all modifications, or none: what was made before one failed is taken back. The error is
// an *UnfinishedError where that failed, too.
func Make(w Writing, all []*Rewrite, list []*Modification) error {
	for i, r := range all {
		made, err := NotMade, error(nil)
		if r.follows {
			made, err = makeFollowing(w, r, &list[i])
		} else if !list[i].Empty() {
			made, err = w.Make(r, list[i])
		}
		if err != nil {
			return back(w, list[:i], err, w.Undo(list[i], made))
		}
	}
	return nil
}

// makeFollowing makes a modification that others before it may have changed. A server that follows a
// move takes a moment to.
func makeFollowing(w Writing, r *Rewrite, m **Modification) (made Made, err error) {
	const tries = 10
	for try := 1; ; try++ {
		var again *Modification
		if again, err = w.Look(r, true); err == nil {
			if *m = again; again.Empty() {
				return NotMade, nil
			}
			made, err = w.Make(r, again)
		}
		var elsewhere *ElsewhereError
		if made != NotMade || try == tries || !errors.As(err, &elsewhere) {
			return made, err
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// back takes back what was made before something failed, and gives back why it did.
func back(w Writing, list []*Modification, why error, others ...error) error {
	if err := errors.Join(append(others, Undo(w, list, IsMade))...); err != nil {
		return &UnfinishedError{why, err}
	}
	return why
}

// Undo takes modifications back, the last one first. All are tried.
func Undo(w Writing, list []*Modification, made Made) error {
	var errs []error
	for i := len(list) - 1; i >= 0; i-- {
		if err := w.Undo(list[i], made); err != nil {
			errs = append(errs, err)
		}
	}
	return errors.Join(errs...)
}

// UnfinishedError says that something was written by half.
type UnfinishedError struct{ Err, Back error }

func (e *UnfinishedError) Error() string {
	return fmt.Sprintf("%v; what was written before that is not put back yet: %v", e.Err, e.Back)
}

func (e *UnfinishedError) Unwrap() []error { return []error{e.Err, e.Back} }

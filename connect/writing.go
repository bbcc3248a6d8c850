package connect

import (
	"errors"
	"fmt"
)

// Look looks at all records that are to be written. The error is of the first that cannot be.
func Look(w Writing, all []*Rewrite) ([]*Modification, error) {
	list := make([]*Modification, 0, len(all))
	for _, r := range all {
		m, err := w.Look(r)
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
	for i, m := range list {
		if all[i].follows { // the server may have seen to it when it moved the other
			again, err := w.Look(all[i])
			if err != nil {
				return back(w, list[:i], err)
			}
			list[i], m = again, again
		}
		if m.Empty() {
			continue
		}
		made, err := w.Make(all[i], m)
		if err == nil {
			continue
		}
		return back(w, list[:i], err, w.Undo(m, made))
	}
	return nil
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

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
		if len(m.Changes) == 0 {
			continue
		}
		made, err := w.Make(all[i], m)
		if err == nil {
			continue
		}
		if back := errors.Join(w.Undo(m, made), Undo(w, list[:i], IsMade)); back != nil {
			return &UnfinishedError{err, back}
		}
		return err
	}
	return nil
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

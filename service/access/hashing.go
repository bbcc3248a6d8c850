package access

import (
	"context"
	"time"
)

// A password's hash takes 64 MiB while it is made (docs/security.md): so many are made
// at once, and so many wait for that, for so long.
const (
	hashesAtOnce = 2
	hashesQueued = 16
	longestQueue = 5 * time.Second
)

// hashing bounds how many passwords are hashed at once.
type hashing struct{ room, slots chan struct{} }

func newHashing() *hashing {
	return &hashing{make(chan struct{}, hashesAtOnce+hashesQueued), make(chan struct{}, hashesAtOnce)}
}

// do hashes a password when it is its turn. The error is a *BusyError where too
// many wait, or that of the context.
func (h *hashing) do(ctx context.Context, work func()) error {
	select {
	case h.room <- struct{}{}:
		defer func() { <-h.room }()
	default:
		return errBusy
	}
	late := time.NewTimer(longestQueue)
	defer late.Stop()
	select {
	case h.slots <- struct{}{}:
		defer func() { <-h.slots }()
	case <-late.C:
		return errBusy
	case <-ctx.Done():
		return ctx.Err()
	}
	work()
	return nil
}

var errBusy error = &BusyError{longestQueue}

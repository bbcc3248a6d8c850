package access

import (
	"fmt"
	"time"
)

// SignInError says that somebody could not be signed in by what they gave.
type SignInError struct{ Message string }

func (e *SignInError) Error() string { return e.Message }

// StrangerError says that somebody whom a provider signed in may not use the service.
type StrangerError struct{ Message string }

func (e *StrangerError) Error() string { return e.Message }

// WaitError says that somebody failed to sign in too often, and after how long they may try
// again.
type WaitError struct{ Wait time.Duration }

func (e *WaitError) Error() string {
	return fmt.Sprintf("too many failed sign-ins; try again in %s", e.Wait.Round(time.Second))
}

// BusyError says that too many sign in at once.
type BusyError struct{ Wait time.Duration }

func (e *BusyError) Error() string {
	return fmt.Sprintf("too many people sign in at this moment; try again in %s", e.Wait)
}

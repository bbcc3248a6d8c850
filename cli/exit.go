package cli

import (
	"errors"

	"gatemap/client"
	"gatemap/edge"
)

// usageError is a wrong call that the arguments' own checks cannot see.
type usageError struct{ message string }

func (e *usageError) Error() string { return e.message }

// exitCode is the exit code for an error.
func (a *app) exitCode(err error) int {
	var usage *usageError
	var token *client.TokenError
	switch {
	case !a.started, errors.As(err, &usage):
		return edge.Usage
	case errors.As(err, &token):
		return edge.Refused
	}
	return edge.Exit(err)
}

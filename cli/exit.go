package cli

import (
	"errors"
	"net/http"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/operator"
	"gatemap/stage"
)

// The exit codes (docs/command-line.md).
const (
	exitDone    = 0
	exitFailed  = 1 // the answer is a failed check
	exitUsage   = 2 // wrong usage, or a value that cannot be read
	exitNoMap   = 3 // the map cannot be loaded or the service not reached
	exitMissing = 4 // no such user, group, system or object
	exitRefused = 5 // not allowed, in conflict, or held by a limit
)

// usageError is a wrong call that the arguments' own checks cannot see.
type usageError struct{ message string }

func (e *usageError) Error() string { return e.message }

// exitCode is the exit code for an error.
func (a *app) exitCode(err error) int {
	var (
		usage    *usageError
		field    *situation.FieldError
		object   *rule.ObjectNeededError
		missing  *directory.NotFoundError
		conflict *answer.ConflictError
		barred   *operator.ForbiddenError
		token    *client.TokenError
		problem  *answer.Problem
		change   *stage.Error
	)
	switch {
	case !a.started, errors.As(err, &usage), errors.As(err, &field), errors.As(err, &object):
		return exitUsage
	case errors.As(err, &missing):
		return exitMissing
	case errors.As(err, &conflict), errors.As(err, &barred), errors.As(err, &token):
		return exitRefused
	case errors.As(err, &change):
		return exitUsage
	case errors.As(err, &problem):
		return exitOfStatus(problem.Status)
	}
	return exitNoMap
}

// exitOfStatus is the exit code for what a service refuses with an HTTP status.
func exitOfStatus(status int) int {
	switch status {
	case http.StatusForbidden, http.StatusConflict, http.StatusPreconditionFailed:
		return exitRefused
	case http.StatusNotFound:
		return exitMissing
	case http.StatusInternalServerError, http.StatusBadGateway, http.StatusServiceUnavailable, http.StatusGatewayTimeout, http.StatusTooManyRequests:
		return exitNoMap
	}
	return exitUsage
}

// Package edge is how errors leave: as problem documents of the API (RFC 9457) and as exit codes
// of the command line, which one table says of each kind of error.
package edge

import (
	"context"
	"errors"
	"net/http"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/operator"
	"gatemap/service/access"
	"gatemap/stage"
)

// The exit codes (docs/command-line.md).
const (
	Done    = 0
	Failed  = 1 // the answer is a failed check
	Usage   = 2 // wrong usage, or a value that cannot be read
	NoMap   = 3 // the map cannot be loaded or the service not reached
	Missing = 4 // no such user, group, system or object
	Refused = 5 // not allowed, in conflict, or held by a limit
)

// StatusGivenUp is the status of an answer that nobody waits for any more. Only the log
// and the metrics show it.
const StatusGivenUp = 499

// kind is a kind of error. Where an error is of several, the first counts.
type kind struct {
	status  int
	title   string
	exit    int
	problem func(err error, p *answer.Problem) bool // says whether the error is of the kind, and fills the problem
}

var kinds = []kind{
	{
		http.StatusForbidden,
		"Not allowed",
		Refused,
		of(func(e *operator.ForbiddenError, p *answer.Problem) { p.Detail = e.Reason }),
	},
	{http.StatusForbidden, "Not signed in", Refused, of(func(e *access.StrangerError, p *answer.Problem) {})},
	{http.StatusUnauthorized, "Not signed in", Refused, of(func(*access.SignInError, *answer.Problem) {})},
	{
		http.StatusTooManyRequests,
		"Too many tries",
		NoMap,
		of(func(e *access.WaitError, p *answer.Problem) { p.Wait = int(e.Wait.Seconds()) + 1 }),
	},
	{
		http.StatusServiceUnavailable,
		"Busy",
		NoMap,
		of(func(e *access.BusyError, p *answer.Problem) { p.Wait = int(e.Wait.Seconds()) }),
	},
	{http.StatusUnprocessableEntity, "Invalid value", Usage, of(func(e *answer.InvalidError, p *answer.Problem) {
		p.Field, p.Value, p.Problem = e.Field, e.Value, e.Problem
	})},
	{http.StatusPreconditionFailed, "Changed since", Refused, of(func(*answer.MovedError, *answer.Problem) {})},
	{
		http.StatusPreconditionRequired,
		"Version missing",
		Usage,
		of(func(_ *answer.UnseenError, p *answer.Problem) { p.Field = "If-Match" }),
	},
	{http.StatusNotFound, "No such name", Missing, of(func(e *directory.NotFoundError, p *answer.Problem) {
		p.Type, p.Kind, p.Name, p.Within = answer.TypeMissing, e.Kind, e.Name, e.Within
		p.Near, p.Candidates = e.Near, e.Candidates
	})},
	{http.StatusUnprocessableEntity, "An object is needed", Usage, of(func(e *rule.ObjectNeededError, p *answer.Problem) {
		p.Type, p.Within, p.Objects = answer.TypeObject, e.System, e.Objects
	})},
	{http.StatusUnprocessableEntity, "Invalid value", Usage, of(func(e *situation.FieldError, p *answer.Problem) {
		p.Type, p.Field, p.Value, p.Problem = answer.TypeField, e.Field, e.Value, e.Problem
	})},
	{StatusGivenUp, "Given up", NoMap, is(context.Canceled, "whoever asked has gone", 0)},
	{
		http.StatusServiceUnavailable,
		"Too much at once",
		NoMap,
		is(context.DeadlineExceeded, "what goes before this takes long; try again in a moment", 1),
	},
	{
		http.StatusConflict,
		"Conflict",
		Refused,
		of(func(_ *answer.ConflictError, p *answer.Problem) { p.Type = answer.TypeNotNow }),
	},
	{http.StatusUnprocessableEntity, "Invalid value", Usage, of(func(*stage.Error, *answer.Problem) {})},
}

// failed is what an error of no kind is: the service's own fault, told without its words.
var failed = kind{status: http.StatusInternalServerError, title: "The service failed", exit: NoMap}

// of is errors of a type. The detail is what the error says, if fill gives no other.
func of[E error](fill func(E, *answer.Problem)) func(error, *answer.Problem) bool {
	return func(err error, p *answer.Problem) bool {
		var e E
		if !errors.As(err, &e) {
			return false
		}
		p.Detail = e.Error()
		fill(e, p)
		return true
	}
}

// is is one error, after which one may try again in some seconds; 0: it is not said when.
func is(target error, detail string, wait int) func(error, *answer.Problem) bool {
	return func(err error, p *answer.Problem) bool {
		p.Detail, p.Wait = detail, wait
		return errors.Is(err, target)
	}
}

// Problem turns an error into a problem document.
func Problem(err error) *answer.Problem {
	var made *answer.Problem
	if errors.As(err, &made) {
		return made
	}
	for _, k := range kinds {
		if p := (&answer.Problem{Status: k.status, Title: k.title}); k.problem(err, p) {
			return p
		}
	}
	return &answer.Problem{
		Status: failed.status,
		Title:  failed.title,
		Detail: "the service could not answer; its log says why",
	}
}

// Exit is the exit code for an error, which may be the problem that a service sent.
func Exit(err error) int {
	var sent *answer.Problem
	if errors.As(err, &sent) {
		return exitOf(sent.Status)
	}
	for _, k := range kinds {
		if k.problem(err, &answer.Problem{}) {
			return k.exit
		}
	}
	return failed.exit
}

// exitOf is the exit code for what a service refuses with a status.
func exitOf(status int) int {
	for _, k := range kinds {
		if k.status == status {
			return k.exit
		}
	}
	if status >= http.StatusInternalServerError {
		return NoMap
	}
	return Usage
}

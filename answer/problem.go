package answer

import (
	"context"
	"errors"
	"net/http"

	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/operator"
)

// StatusGivenUp is the status of an answer that nobody waits for any more. Only the log
// and the metrics show it.
const StatusGivenUp = 499

// Problem is an error as the API sends it (RFC 9457), with members of our own
// that let a client tell errors apart and suggest names.
type Problem struct {
	Type   string `json:"type,omitempty" doc:"A URI reference that says what kind of problem it is."`
	Title  string `json:"title" doc:"The kind of problem in words."`
	Status int    `json:"status" doc:"The HTTP status code."`
	Detail string `json:"detail,omitempty" doc:"What is wrong here, and what to do about it."`

	Kind       string   `json:"kind,omitempty" doc:"What was looked for: user, group, system, right …"`
	Name       string   `json:"name,omitempty" doc:"The name that was looked for."`
	Within     string   `json:"within,omitempty" doc:"The system that was looked in."`
	Near       []string `json:"near,omitempty" doc:"The nearest names."`
	Candidates []string `json:"candidates,omitempty" doc:"The full names, where the name was ambiguous."`
	Objects    []string `json:"objects,omitempty" doc:"Objects to choose from, where one must be said."`
	Field      string   `json:"field,omitempty" doc:"The part of the request that is wrong."`
	Value      string   `json:"value,omitempty" doc:"What stood there."`
	Problem    string   `json:"problem,omitempty" doc:"What is wrong with it."`
	Wait       int      `json:"wait,omitempty" doc:"After how many seconds to try again."`
}

func (p *Problem) Error() string {
	if p.Detail == "" {
		return p.Title
	}
	return p.Detail
}

// GetStatus is the HTTP status code.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType is the media type of RFC 9457.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// The types of problems that a client can act on.
const (
	typeMissing = "/problems/no-such-name"
	typeObject  = "/problems/object-needed"
	typeField   = "/problems/bad-value"
	typeNotNow  = "/problems/not-now"
)

// ConflictError says that something cannot be done as things are.
type ConflictError struct{ Message string }

func (e *ConflictError) Error() string { return e.Message }

// ProblemOf turns an error of an Asker into a problem. What it does not know
// is the service's own fault, and told without its words.
func ProblemOf(err error) *Problem {
	var (
		missing *directory.NotFoundError
		object  *rule.ObjectNeededError
		field   *situation.FieldError
		problem *Problem
		notNow  *ConflictError
		barred  *operator.ForbiddenError
	)
	switch {
	case errors.As(err, &barred):
		return &Problem{Title: "Not allowed", Status: http.StatusForbidden, Detail: barred.Reason}
	case errors.As(err, &problem):
		return problem
	case errors.As(err, &missing):
		return &Problem{
			Type: typeMissing, Title: "No such name", Status: http.StatusNotFound, Detail: missing.Error(),
			Kind: missing.Kind, Name: missing.Name, Within: missing.Within, Near: missing.Near, Candidates: missing.Candidates,
		}
	case errors.As(err, &object):
		return &Problem{
			Type: typeObject, Title: "An object is needed", Status: http.StatusUnprocessableEntity, Detail: object.Error(),
			Within: object.System, Objects: object.Objects,
		}
	case errors.As(err, &field):
		return &Problem{
			Type: typeField, Title: "Invalid value", Status: http.StatusUnprocessableEntity, Detail: field.Error(),
			Field: field.Field, Value: field.Value, Problem: field.Problem,
		}
	case errors.Is(err, context.Canceled):
		return &Problem{Title: "Given up", Status: StatusGivenUp, Detail: "whoever asked has gone"}
	case errors.Is(err, context.DeadlineExceeded):
		return &Problem{Title: "Too much at once", Status: http.StatusServiceUnavailable, Detail: "what goes before this takes long; try again in a moment", Wait: 1}
	case errors.As(err, &notNow):
		return &Problem{Type: typeNotNow, Title: "Conflict", Status: http.StatusConflict, Detail: notNow.Error()}
	}
	return &Problem{Title: "The service failed", Status: http.StatusInternalServerError, Detail: "the service could not answer; its log says why"}
}

// Err gives back the error that a problem was made of.
func (p *Problem) Err() error {
	switch p.Type {
	case typeMissing:
		return &directory.NotFoundError{Kind: p.Kind, Name: p.Name, Within: p.Within, Near: p.Near, Candidates: p.Candidates}
	case typeObject:
		return &rule.ObjectNeededError{System: p.Within, Objects: p.Objects}
	case typeField:
		return &situation.FieldError{Field: p.Field, Value: p.Value, Problem: p.Problem}
	case typeNotNow:
		return &ConflictError{p.Detail}
	}
	return p
}

// Invalid says that a field of a call has a value that cannot be used (422).
func Invalid(field, value, problem string) error {
	return &Problem{
		Title: "Invalid value", Status: 422, Field: field, Value: value, Problem: problem, Detail: field + ": " + problem,
	}
}

package answer

import (
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

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
	TypeMissing = "/problems/no-such-name"
	TypeObject  = "/problems/object-needed"
	TypeField   = "/problems/bad-value"
	TypeNotNow  = "/problems/not-now"
)

// Err gives back the error that a problem was made of.
func (p *Problem) Err() error {
	switch p.Type {
	case TypeMissing:
		return &directory.NotFoundError{Kind: p.Kind, Name: p.Name, Within: p.Within, Near: p.Near, Candidates: p.Candidates}
	case TypeObject:
		return &rule.ObjectNeededError{System: p.Within, Objects: p.Objects}
	case TypeField:
		return &situation.FieldError{Field: p.Field, Value: p.Value, Problem: p.Problem}
	case TypeNotNow:
		return &ConflictError{p.Detail}
	}
	return p
}

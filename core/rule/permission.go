package rule

import (
	"fmt"

	"gatemap/core/directory"
)

// Permission is one object and right of a gate.
type Permission interface {
	// Object is the object that is meant, also where the question left it out.
	Object() string
	// Decide answers for the subject of the question; Misses is left out.
	Decide(*Question) Entitlement
	// State answers a brief question.
	State(*Question) State
	// Misses lists the lines that would give it to the subject, none of which
	// does.
	Misses(*Question) []Miss
	// Lines are the rules that Decide looks at, and Depends is what it looks at in a
	// subject besides whom they name.
	Lines() LineSet
	Depends(*directory.Book) Dependencies
}

// Entry is a permission of a system on which one decision decides.
type Entry struct {
	System, On, Right string
	// DecidedAt is the object that decides, where On is not declared.
	DecidedAt string
	*Decision
}

// Object is the object of the entry.
func (e *Entry) Object() string { return e.On }

// State answers a brief question.
func (e *Entry) State(q *Question) State { return e.verdict(q, nil).State }

// Decide answers for the subject of the question.
func (e *Entry) Decide(q *Question) Entitlement {
	x := Entitlement{System: e.System, Object: e.On, Right: e.Right}
	e.Judge(q, &x)
	x.DecidedAt = e.DecidedAt
	e.finish(q, &x)
	return x
}

// ObjectNeededError says that a question must name its object.
type ObjectNeededError struct {
	System  string
	Objects []string // some to choose from
}

func (e *ObjectNeededError) Error() string {
	return fmt.Sprintf("system %s has several objects: say which one is meant", e.System)
}

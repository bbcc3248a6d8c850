package gate

import (
	"fmt"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Type is one kind of gate. A type is a package that makes one of these, and
// one line in the table of types.
type Type struct {
	Name string // as the key type has it
	Doc  string // what it is for, in a sentence
	// New makes an empty document for the reader to fill and for the schema
	// to be drawn from.
	New func() Document
}

// Document is the part of a system's document that belongs to its gate type.
type Document interface {
	// Compile makes the gate. What is wrong goes to the site: errors that
	// keep the map from loading, findings for what can be left out.
	Compile(*Site) Gate
}

// Gate decides for one system. It is immutable and safe for use by many. What
// it answers leaves out the account, the prerequisites and the gates in front,
// which are the same for all types.
type Gate interface {
	// At finds the point that a question is about. An empty object asks for
	// the gate's own default. The error is a *directory.NotFoundError, or an
	// *ObjectNeededError.
	At(object, right string) (Point, error)
	// Reach hands every entitlement that the subject holds, in whatever state
	// but none, to add, by object and right.
	Reach(q *Question, add func(Entitlement))
	// Check reports what is wrong, useless or risky in this gate.
	Check(r *Report)
}

// Point is one object and right of a gate.
type Point interface {
	// Object is the object that is meant, also where the question left it out.
	Object() string
	// Decide answers for the subject of the question; Misses is left out.
	Decide(q *Question) Entitlement
	// Misses lists the lines that would give it to the subject, none of which
	// does.
	Misses(q *Question) []Miss
}

// Question is a subject in a situation. It belongs to one goroutine.
type Question struct {
	Book    *directory.Book
	Subject *directory.Subject
	Facts   *situation.Facts
}

// ObjectNeededError says that a question must name its object.
type ObjectNeededError struct {
	System  string
	Objects []string // some to choose from
}

func (e *ObjectNeededError) Error() string {
	return fmt.Sprintf("system %s has several objects: say which one is meant", e.System)
}

// System is a system as written: what all types have in common, and its gate.
type System struct {
	Place     place.Place `yaml:"-"`
	Name      string      `yaml:"system,required" doc:"The name of the system."`
	Type      name.Ref    `yaml:"type,required" doc:"The type of its gate."`
	Title     string      `yaml:"title" doc:"What it is, for people."`
	Directory name.Ref    `yaml:"directory" doc:"The directory it belongs to. Without one, only groups that open any count here."`
	Requires  []string    `yaml:"requires" doc:"Attributes that a user must have for anything here."`
	Behind    []Front     `yaml:"behind" doc:"What must be passed before anything here is usable: all of it."`
	Gate      Document    `yaml:"-"`
}

// Front is one thing that stands in front of a system.
type Front struct {
	Place place.Place     `yaml:"-"`
	When  *situation.When `yaml:"when" doc:"A condition on the situation."`
	Any   []Front         `yaml:"any" doc:"One of these is enough."`
}

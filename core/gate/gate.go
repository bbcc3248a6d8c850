// Package gate holds what the systems of a map have in common as they are written: who and
// when, and what a gate type must say of itself. It decides nothing: that is for the rules
// into which a gate type translates its document (package rule).
package gate

import (
	"errors"
	"fmt"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/rule"
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
	// Declare is a document with the objects that another declares besides those that it declares
	// itself; nil for types whose objects do not lie in each other.
	Declare func(d, other Document) Document
	// Listing is a document that lists besides what others list, where each may name the same things
	// in other words; nil for types that have one name for each thing.
	Listing func(d Document, of ...Document) Document
	// Holding is the document in which some hold just what they were found to hold, in the words of
	// one that it is like, and what it cannot say of that; nil for types whose systems hold no list
	// of who has what.
	Holding func(like Document, list []Holding) (made Document, left []Holding)
}

// Document is the part of a system's document that belongs to its gate type.
type Document interface {
	// Compile makes the gate. What is wrong goes to the site: errors that
	// keep the map from loading, findings for what can be left out.
	Compile(*Site) Gate
}

// Gate decides for one system. It is immutable and safe for use by many. What
// it answers leaves out the account, the prerequisites and the gates in front,
// which are the same for all types. A gate type says here all that there is to say of it:
// a *rule.Listing says most of it for those types whose permissions can be listed.
type Gate interface {
	// At finds the permission that a question is about. An empty object asks for
	// the gate's own default. The error is a *directory.NotFoundError, or an
	// *rule.ObjectNeededError.
	At(object, right string) (rule.Permission, error)
	// Reach hands every entitlement that the subject holds, in whatever state
	// but none, to add, by object and right.
	Reach(q *rule.Question, add func(rule.Entitlement))
	// By hands what the subject holds of what one line gives to add, or more than that, until
	// add has enough: of several things that are held alike one will do.
	By(r *rule.Rule, q *rule.Question, add func(rule.Entitlement) (more bool))
	// Giving are the lines without any of which there is nothing to list; needed is false
	// where something is listed for everyone.
	Giving() (lines rule.LineSet, needed bool)
	// Given hands every permission that can be listed to visit, with the lines that give it and
	// those that take it away, each to and from some. Lines of gates whose permissions have no list
	// are not handed on.
	Given(visit func(rule.Given))
	// Public names what is listed for everyone.
	Public() []string
	// Depends is what listings look at in a subject besides whom lines name.
	Depends(*directory.Book) rule.Dependencies
	// Catalogue lists what can be asked about by name.
	Catalogue() Catalogue
	// Check reports what is wrong, useless or risky in this gate.
	Check(r *Report)
	// InFront finds the permission that must be had to come to a system behind this one. to
	// is the name of that system, part is what follows the slash in the reference, and
	// keys are what the type asks for. The error says what is missing.
	InFront(to, part string, keys Passage) (rule.Permission, error)
}

// ErrNotInFront is the error of gate types that cannot stand in front of a system.
var ErrNotInFront = errors.New("a system of this type cannot be in front of another")

// NotInFront is for the gates of these.
type NotInFront struct{}

// InFront says so.
func (NotInFront) InFront(string, string, Passage) (rule.Permission, error) {
	return nil, ErrNotInFront
}

// Effect says what a line does, where it is not clear from the list in which it stands.
type Effect string

// Values lists the effects; allow is the default.
func (Effect) Values() []string { return []string{"allow", "deny"} }

// Of is what the line does to those whom it names.
func (e Effect) Of() rule.Effect { return rule.Effect(e == "deny") }

// Catalogue is the objects and rights of a system that have names, in order. A question
// may name others too, such as a path below an object, an address or a command line.
type Catalogue struct {
	Objects []string `json:"objects" nullable:"false"`
	Rights  []string `json:"rights" nullable:"false"`
	Roles   []Role   `json:"roles,omitempty" doc:"The roles, of gate types that have roles."`
	Open    bool     `json:"open,omitempty" doc:"A question may name further rights: commands, ports, or values of claims."`
}

// Role is a role with all that it gives.
type Role struct {
	Role   string   `json:"role"`
	Rights []string `json:"rights" doc:"The rights that it gives; of an app with their breadth." nullable:"false"`
}

// Shared is something of which one has less because another has it, as with seats.
type Shared interface {
	// Shifted lists those for whom it is otherwise by a book than it was by one before, as what
	// was in this place then.
	Shifted(was Shared, before, after *directory.Book) []directory.UserID
	// Lines are the lines that give a share of it.
	Lines() rule.LineSet
	// Count counts what there is and who has it.
	Count(*directory.Book) Seats
}

// Seats are the seats of one product, and how many hold it, with a seat or without.
type Seats struct {
	Product string `json:"product"`
	Seats   int    `json:"seats"`
	Holders int    `json:"holders" doc:"How many hold it, with a seat or without."`
}

// System is a system as written: what all types have in common, and its gate.
type System struct {
	Place     place.Place    `yaml:"-"`
	Name      string         `yaml:"system,required" doc:"The name of the system."`
	Type      name.Ref       `yaml:"type,required" doc:"The type of its gate."`
	Title     string         `yaml:"title" doc:"What it is, for people."`
	Directory name.Ref       `yaml:"directory" doc:"The directory it belongs to. Without one, only groups with usable_in: any can be used here."`
	Requires  []string       `yaml:"requires" doc:"Attributes that a user must have for anything here."`
	Behind    []Prerequisite `yaml:"behind" doc:"The gates that must be passed before anything here is usable: all of them."`
	Link      *Link          `yaml:"link" doc:"How the real system is reached."`
	Gate      Document       `yaml:"-"`
}

// Prerequisite is one thing that stands in front of a system: a condition, a choice of
// several, or a gate. A gate is written as the name of its type with the name
// of the system, and what that type asks for besides.
type Prerequisite struct {
	Place place.Place     `yaml:"-"`
	When  *situation.When `yaml:"when" doc:"A condition on the situation."`
	Any   []Prerequisite  `yaml:"any" doc:"One of these is enough."`
	Gate  Passage         `yaml:",rest" doc:"A gate type: the system in front, and what is asked of it."`
}

// Passage is the way through a gate that stands in front of a system.
type Passage map[string]string

// Set notes a key of the passage.
func (p *Passage) Set(key string, value any) error {
	text, ok := value.(string)
	if !ok {
		return fmt.Errorf("%s is a piece of text", key)
	}
	if *p == nil {
		*p = Passage{}
	}
	(*p)[key] = text
	return nil
}

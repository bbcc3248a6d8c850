package gate

import (
	"fmt"
	"slices"

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
	// Catalogue lists what can be asked about by name.
	Catalogue() Catalogue
	// Check reports what is wrong, useless or risky in this gate.
	Check(r *Report)
}

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

// Indirect is a gate of which some lines are for those to whom other lines give
// something: Comers gives the crowds of these, and says of a subject whom one has whether
// the line is for it. For all other lines it gives nil.
type Indirect interface {
	Comers(line string) (crowds []*Crowd, is func(*Question) bool)
}

// Sparing is a gate that lists nothing for users whom none of its giving lines covers.
type Sparing interface {
	Giving() Held // these lines
}

// Grouped is a gate that looks at groups that no line of it names: TakesName says
// whether it looks at those of a name.
type Grouped interface {
	TakesName(group string) bool
}

// Networked is a gate that knows the networks of the map by their names, whether its
// lines name them or not.
type Networked interface {
	Networks()
}

// Shared is a gate in which what one user holds can depend on the others, as
// with seats: Shifted lists those for whom it does otherwise in one book than in
// another, in which the same lines name them.
type Shared interface {
	Shifted(before, after *directory.Book) []directory.UserID
}

// Seated is a gate that gives out numbered seats.
type Seated interface {
	Seats(*directory.Book) []Seats
}

// Seats are the seats of one product, and how many hold it, with a seat or without.
type Seats struct {
	Product string `json:"product"`
	Seats   int    `json:"seats"`
	Holders int    `json:"holders" doc:"How many hold it, with a seat or without."`
}

// Public is a gate of which lines show something to those too whom they do not
// name: what is listed for everyone because of them.
type Public interface {
	Public() []string
}

// Heedful is a gate that looks at more of a subject than whom its lines name.
type Heedful interface {
	// Heeds says what it looks at for one point, or, without one, for anything.
	Heeds(*directory.Book, Point) Heed
}

// Heed is what a gate looks at besides lines: subjects who are alike in it, and
// of one directory, are answered alike.
type Heed struct {
	Attributes []string             // by folded name
	Groups     []directory.GroupID  // whether the subject is in each of them
	Users      [][]directory.UserID // whether the subject is one of each of these, or of the others
	Apart      []directory.UserID   // those whom it looks at one by one
	// Shown are attributes, and sets of groups, whose values or names are handed
	// on: all that is decided by them is whether there is any.
	Shown       []string
	ShownGroups [][]directory.GroupID
}

// Join adds what another looks at.
func (h *Heed) Join(other Heed) {
	h.Attributes, h.Groups = append(h.Attributes, other.Attributes...), append(h.Groups, other.Groups...)
	h.Users, h.Apart = append(h.Users, other.Users...), append(h.Apart, other.Apart...)
	h.Shown, h.ShownGroups = append(h.Shown, other.Shown...), append(h.ShownGroups, other.ShownGroups...)
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
	// Lines are the lines that Decide looks at.
	Lines() Held
}

// Question is a subject in a situation. It belongs to one goroutine.
type Question struct {
	Book    *directory.Book
	Subject *directory.Subject
	Facts   *situation.Facts
	// Brief asks for states alone: needs, reasons and routes are left out, and
	// for the common gate types nothing is allocated.
	Brief bool
	// Passes, where it is not nil, is filled in with the lines that are come to.
	Passes Passes

	ways  [][]Hop // beside the groups of the subject, once asked for
	marks marks
	slab  []Route // in which the routes of the answers lie
}

// room gives room for up to n routes, in memory that the answers of a question share.
func (q *Question) room(n int) []Route {
	const some = 64
	if cap(q.slab)-len(q.slab) < n {
		q.slab = make([]Route, 0, max(some, n))
	}
	return q.slab[len(q.slab):]
}

// kept keeps the routes that were put into the room.
func (q *Question) kept(routes []Route) []Route {
	if len(routes) == 0 {
		return nil
	}
	q.slab = q.slab[:len(q.slab)+len(routes)]
	return slices.Clip(routes)
}

// Turn asks the same about another user.
func (q *Question) Turn(u directory.UserID) {
	q.Subject.Turn(q.Book, u)
	q.ways = q.ways[:0]
	q.marks.clear()
}

// way is the subject's shortest path to a group, as hops; nil if there is
// none. It is computed once for a question.
func (q *Question) way(g directory.GroupID) []Hop {
	at, in := q.Subject.Place(g)
	if !in {
		return nil
	}
	if len(q.ways) == 0 {
		groups := len(q.Subject.Groups())
		q.ways = slices.Grow(q.ways, groups)[:groups]
		clear(q.ways)
	}
	if q.ways[at] == nil {
		path := q.Subject.Path(g)
		hops := make([]Hop, len(path))
		for i, step := range path {
			hops[i] = Hop{q.Book.GroupName(step.Group), string(step.How)}
		}
		q.ways[at] = hops
	}
	return q.ways[at]
}

// RouteBy is the route by a group to a line that gives something for being in it.
func (q *Question) RouteBy(line string, g directory.GroupID) Route {
	return Route{Mapping: line, Path: q.way(g)}
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
	Directory name.Ref    `yaml:"directory" doc:"The directory it belongs to. Without one, only groups with usable_in: any can be used here."`
	Requires  []string    `yaml:"requires" doc:"Attributes that a user must have for anything here."`
	Behind    []Front     `yaml:"behind" doc:"The gates that must be passed before anything here is usable: all of them."`
	Gate      Document    `yaml:"-"`
}

// Front is one thing that stands in front of a system: a condition, a choice of
// several, or a gate. A gate is written as the name of its type with the name
// of the system, and what that type asks for besides.
type Front struct {
	Place place.Place     `yaml:"-"`
	When  *situation.When `yaml:"when" doc:"A condition on the situation."`
	Any   []Front         `yaml:"any" doc:"One of these is enough."`
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

// Passable is a gate that can stand in front of a system.
type Passable interface {
	// Passage finds the point that must be passed. to is the name of the
	// system behind it, part is what follows the slash in the reference, and
	// keys are what the type asks for. The error says what is missing.
	Passage(to, part string, keys Passage) (Point, error)
}

package delivery

import "slices"

// Plan is what brings a system to what is wanted.
type Plan struct {
	Statements []Statement // in the order in which they are made: what takes away first
	// Stays is what people hold beside our names, or what no statement can change, in words.
	Stays    []string
	Problems []Problem // names that the system does not take
	Left     []Left    // what no statement gives
	// Held is how many grants and memberships there are under our names, and Taken how many of
	// these go.
	Held, Taken int
}

// Statement is one that the system takes, with what it is for.
type Statement struct {
	Text   string // as the system takes it
	On     string // the part of the system where it is made, such as a host; "": there are none
	For    string // in a sentence
	Effect Effect
}

// Effect is what a statement does.
type Effect string

// What a statement does.
const (
	Takes    Effect = "takes"    // it takes something away from someone
	Prepares Effect = "prepares" // it gives nobody anything yet
	Gives    Effect = "gives"    // it gives someone something
)

// is says whether two statements are the same.
func (s *Statement) is(other *Statement) bool { return s.Text == other.Text && s.On == other.On }

// Has says whether a plan has a statement.
func (p *Plan) Has(s *Statement) bool {
	return slices.ContainsFunc(p.Statements, func(x Statement) bool { return x.is(s) })
}

// Same says whether two plans have the same statements.
func (p *Plan) Same(q *Plan) bool {
	return slices.EqualFunc(p.Statements, q.Statements, func(a, b Statement) bool { return a.is(&b) })
}

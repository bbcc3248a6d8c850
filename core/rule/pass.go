package rule

import "gatemap/core/situation"

// Fate is what becomes of a line on the way to an answer.
type Fate string

// The fates.
const (
	Decides   Fate = "decides"   // it has a part in the answer
	May       Fate = "may"       // it would, if the situation gave what it needs
	Unmet     Fate = "unmet"     // the situation contradicts its condition
	Overtaken Fate = "overtaken" // another line decides before it, or over it
	Others    Fate = "others"    // it names other people
	Elsewhere Fate = "elsewhere" // it is about other objects or rights
	Off       Fate = "off"       // it is switched off
	Watched   Fate = "watched"   // it would have a part in it, and is only watched
)

// Part is what a line does where it decides.
type Part string

// The parts.
const (
	Gives Part = "gives" // it gives, permits or lets pass
	Takes Part = "takes" // it denies, refuses or limits
	Asks  Part = "asks"  // it asks for something of the situation
)

// Pass is what becomes of one line on the way to an answer.
type Pass struct {
	Line  string           `json:"line" doc:"The line, as SYSTEM/NAME."`
	Fate  Fate             `json:"fate" enum:"decides,may,unmet,overtaken,others,elsewhere,off,watched" doc:"What becomes of it."`
	Part  Part             `json:"part" enum:"gives,takes,asks" doc:"What it does where it decides."`
	Needs []situation.Need `json:"needs" doc:"Of a line that may decide, what it needs; of one that does not, what is contradicted." nullable:"false"`
	Lacks []Lack           `json:"lacks" doc:"Of a line that names others, whom or what it asks for; of one about other resources, what this one lacks." nullable:"false"`
}

// Settled is the pass with empty lists for those that are nil.
func (s Pass) Settled() Pass {
	if s.Needs == nil {
		s.Needs = []situation.Need{}
	}
	if s.Lacks == nil {
		s.Lacks = []Lack{}
	}
	return s
}

// Passes are what a question came to, by the names of lines.
type Passes map[string]Pass

// Note keeps what came of the condition of a rule, where Passes asks for it. Of
// several parts of a question, the one in which the line does most counts.
func (q *Question) Note(r *Rule, truth situation.Truth) {
	if q.Passes == nil {
		return
	}
	s := Pass{Line: r.Name, Fate: Unmet}
	switch truth {
	case situation.True:
		s.Fate = Decides
	case situation.Unknown:
		s.Fate, s.Needs = May, r.When.Needs(q.Facts)
	default:
		s.Needs = r.When.Unmet(q.Facts)
	}
	if old, known := q.Passes[r.Name]; known && rank(old.Fate) <= rank(s.Fate) {
		return
	}
	q.Passes[r.Name] = s
}

// asking notes that a line whose condition was noted asks for something.
func (q *Question) asking(line *Rule) {
	if met, known := q.Passes[line.Name]; known {
		met.Part = Asks
		q.Passes[line.Name] = met
	}
}

// watching notes a line that is only watched, unless the situation contradicts it.
func (q *Question) watching(line *Rule) {
	if met, known := q.Passes[line.Name]; known && met.Fate != Unmet {
		met.Fate = Watched
		q.Passes[line.Name] = met
	}
}

// Wanting notes what a resource lacks for a line to be about it.
func (q *Question) Wanting(line *Rule, lacks []Lack) {
	q.Passes[line.Name] = Pass{Line: line.Name, Fate: Elsewhere, Lacks: lacks}
}

// Overtaken notes a line that comes too late.
func (q *Question) Overtaken(line *Line) {
	if _, known := q.Passes[line.Name]; !known && q.Passes != nil {
		q.Passes[line.Name] = Pass{Line: line.Name, Fate: Overtaken}
	}
}

func rank(f Fate) int {
	for i, x := range []Fate{Decides, May, Unmet} {
		if f == x {
			return i
		}
	}
	return 3
}

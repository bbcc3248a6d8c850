package gate

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
)

// Pass is what becomes of one line on the way to an answer.
type Pass struct {
	Line  string           `json:"line" doc:"The line, as SYSTEM/NAME."`
	Fate  Fate             `json:"fate" enum:"decides,may,unmet,overtaken,others,elsewhere,off" doc:"What becomes of it."`
	Needs []situation.Need `json:"needs" doc:"Of a line that may decide, what it needs; of one that does not, what is contradicted." nullable:"false"`
	Lacks []string         `json:"lacks" doc:"Of a line that names others, whom or what it asks for." nullable:"false"`
}

// Settled is the pass with empty lists for those that are nil.
func (s Pass) Settled() Pass {
	if s.Needs == nil {
		s.Needs = []situation.Need{}
	}
	if s.Lacks == nil {
		s.Lacks = []string{}
	}
	return s
}

// Passes are what a question came to, by the names of lines.
type Passes map[string]Pass

// Note keeps what came of the condition of a line, where Passes asks for it. Of
// several parts of a question, the one in which the line does most counts.
func (q *Question) Note(line *Line, truth situation.Truth, when ...*situation.Condition) {
	if q.Passes == nil {
		return
	}
	s := Pass{Line: line.Name, Fate: Unmet}
	switch truth {
	case situation.True:
		s.Fate = Decides
	case situation.Unknown:
		s.Fate = May
	}
	if old, known := q.Passes[line.Name]; known && rank(old.Fate) <= rank(s.Fate) {
		return
	}
	for _, c := range when {
		if truth == situation.Unknown {
			s.Needs = union(s.Needs, c.Needs(q.Facts))
		} else if truth == situation.False {
			s.Needs = union(s.Needs, c.Unmet(q.Facts))
		}
	}
	q.Passes[line.Name] = s
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

package rule

import (
	"strings"

	"gatemap/core/directory"
)

// Lock is something that must let through besides the rules of a decision.
type Lock interface {
	Verdict(*Question) Verdict
	// Lines are the rules that it looks at, and Depends is what it looks at besides.
	Lines() LineSet
	Depends(*directory.Book) Dependencies
}

// Door is a decision that must let through besides the rules of another. What shuts it is
// told as its own reason.
type Door struct {
	*Decision
	Reason   Reason
	At, None string // where nothing lets through: at what, and in which words
}

// Verdict is what the door says.
func (d *Door) Verdict(q *Question) Verdict { return d.Told(q, d.verdict(q, nil)) }

// Told is what the door says where its decision says something.
func (d *Door) Told(q *Question, v Verdict) Verdict {
	switch {
	case q.Brief:
		v.State = max(v.State, Shut)
		return v
	case v.State == None:
		return d.deny(q).And(ShutFor(d.Reason, d.At, d.None))
	case v.State != Shut:
		return v
	}
	told := Verdict{State: Shut}
	for _, s := range v.ShutBy {
		if s.Reason != d.Reason {
			s = Stop{d.Reason, s.At, strings.TrimSpace(string(s.Reason) + " " + s.Detail)}
		}
		told.ShutBy = append(told.ShutBy, s)
	}
	return told
}

// If is a lock that is a condition on the situation.
type If struct{ *Rule }

// Verdict is that of the condition.
func (c If) Verdict(q *Question) Verdict { return c.Gives(q) }

// Lines are none, and it depends on nobody.
func (If) Lines() LineSet                           { return LineSet{} }
func (If) Depends(*directory.Book) (d Dependencies) { return d }

// deny is what is denied to the subject, wherever.
func (d *Decision) deny(q *Question) Verdict {
	denied, kept, held := Opened, Opened, q.Held(d.Index)
	for l := d.Nearest; l != nil; l = l.Next {
		d.takes(q, held, l.Takes, &denied, &kept)
	}
	return denied
}

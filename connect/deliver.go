package connect

import (
	"context"
	"errors"
	"strings"

	"gatemap/core/delivery"
	"gatemap/core/reading"
)

// Deliverer brings a system to what a map says.
type Deliverer interface {
	// ByAccount says that the system knows no groups of ours: each account is granted what its user
	// holds.
	ByAccount() bool
	// Plan says with which statements the system comes to hold what is wanted, from a reading that
	// was made just now. The error says what keeps it from being delivered to at all.
	Plan(r *reading.Reading, w *delivery.Wanted, mark Mark) (*delivery.Plan, error)
	// Deliver makes the statements that were agreed to. plan is asked anew for what is there now: if
	// that is not what was agreed to, the error is ErrMoved, and nothing was made. It ends with all
	// statements made and nothing left to do, or with an error: then none is made where a system has
	// transactions, else those before the one that failed, which the error says. The error is
	// ErrHandedOut where somebody else is to make them.
	Deliver(ctx context.Context, o *Observing, agreed *delivery.Plan, plan Planned) error
	// Finish finds out what became of a delivery that was cut off, and finishes it where it has
	// begun: made says that all of its statements are made, else none is.
	Finish(ctx context.Context, o *Observing, agreed *delivery.Plan, plan Planned) (made bool, err error)
	// Script is a plan as a script that an administrator can run, and that ends at the first thing
	// that is not as it should be.
	Script(p *delivery.Plan) string
}

// Planned says with which statements a system comes to hold what is wanted, from what was read now.
type Planned func(*reading.Reading) (*delivery.Plan, error)

// Now reads a system, and plans from that.
func (p Planned) Now(ctx context.Context, o *Observing) (*delivery.Plan, error) {
	r, err := Observe(ctx, o.System, o.Host, func(int) {})
	if err != nil {
		return nil, err
	}
	return p(r)
}

// Mark tells in a system which map delivers something to it, as which of its systems. The zero Mark
// is none.
type Mark struct{ Map, System string }

// What a mark is written with.
const (
	markBefore = "Gate Map "
	markSystem = ", system "
)

// String is the mark as it is left in a system.
func (m Mark) String() string { return markBefore + m.Map + markSystem + m.System }

// ParseMark reads a mark; a text that is none is the zero Mark.
func ParseMark(text string) (m Mark) {
	if own, is := strings.CutPrefix(text, markBefore); is {
		m.Map, m.System, _ = strings.Cut(own, markSystem)
	}
	return m
}

// ErrHandedOut says that statements are for a person to make: what is read next says whether that was
// done.
var ErrHandedOut = errors.New("it is for a person to do")

// ErrMoved says that what is there is not what it was when a delivery was looked at.
var ErrMoved = errors.New("what is there has changed since the delivery was looked at: run it again")

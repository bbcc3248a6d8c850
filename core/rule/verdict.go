// Package rule is the one evaluator: rules (for whom, on what condition, to what effect),
// the ways in which they combine, and all that is said of the outcome: the state, in which
// ways it is open, what shuts it, the routes to it, what is lacking, what becomes of every
// line, and what it depends on (docs/model.md sections 2 and 4). It knows no gate type.
package rule

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/situation"
)

// State is what becomes of an entitlement for one user in one situation.
type State uint8

// The states, the lowest first. None means that no line gives it at all.
const (
	None State = iota
	Shut
	Depends
	Open
)

var stateNames = []string{"none", "shut", "depends", "open"}

func (s State) String() string { return stateNames[s] }

// MarshalText writes the state's word.
func (s State) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads the state's word.
func (s *State) UnmarshalText(text []byte) error {
	i := slices.Index(stateNames, string(text))
	if i < 0 {
		return fmt.Errorf("%q is not a state", text)
	}
	*s = State(i)
	return nil
}

// Reason says what kind of thing shuts an entitlement.
type Reason string

// The reasons (docs/model.md section 2 and the gate types).
const (
	ByCondition    Reason = "condition"
	ByInactive     Reason = "inactive"
	ByExpired      Reason = "expired"
	ByPrerequisite Reason = "prerequisite"
	ByDeny         Reason = "deny"
	ByLimit        Reason = "limit"
	ByFeature      Reason = "feature"
	ByNoSeat       Reason = "no-seat"
	ByGate         Reason = "gate"
	ByRule         Reason = "rule"
	ByOverride     Reason = "override"
	ByPolicy       Reason = "policy"
	ByDoor         Reason = "door"
	ByLogin        Reason = "login"
	ByAdmit        Reason = "admit"
	BySource       Reason = "source"
)

// Stop is one thing that shuts an entitlement.
type Stop struct {
	Reason Reason `json:"reason" doc:"What kind of thing shuts it."`
	At     string `json:"at" doc:"The line, as SYSTEM/NAME, or the account."`
	Detail string `json:"detail,omitempty" doc:"The unmet condition, the missing attribute, the point in time …"`
}

// Reasons are all that there are.
var Reasons = []Reason{
	ByCondition, ByInactive, ByExpired, ByPrerequisite, ByDeny, ByLimit, ByFeature, ByNoSeat, ByGate, ByRule, ByOverride,
	ByPolicy, ByDoor, ByLogin, ByAdmit, BySource,
}

// Behind is how what shuts a gate in front shuts what is behind it: at the same place, with the
// reason and its detail as its own detail. Of several gates one behind the other it is that of the first.
func (s Stop) Behind() Stop {
	if s.Reason != ByGate {
		s.Detail = strings.TrimSpace(string(s.Reason) + " " + s.Detail)
	}
	s.Reason = ByGate
	return s
}

// Inner takes apart a detail that Behind put together; the reason of any other is empty.
func (s Stop) Inner() (reason Reason, detail string) {
	first, rest, _ := strings.Cut(s.Detail, " ")
	if slices.Contains(Reasons, Reason(first)) {
		return Reason(first), rest
	}
	return "", s.Detail
}

// Verdict is a state with its reasons: the ways in which it is open where it depends, what
// shuts it where it is shut.
type Verdict struct {
	State  State
	If     situation.Ways // of one that depends
	ShutBy []Stop
}

// Opened is the verdict of a line that holds.
var Opened = Verdict{State: Open}

// ShutFor is the verdict of one thing that shuts; brief questions have no
// reasons.
func (q *Question) ShutFor(reason Reason, at, detail string) Verdict {
	if q.Brief {
		return Verdict{State: Shut}
	}
	return ShutFor(reason, at, detail)
}

// ShutFor is the verdict of one thing that shuts.
func ShutFor(reason Reason, at, detail string) Verdict {
	return Verdict{State: Shut, ShutBy: []Stop{{reason, at, detail}}}
}

// DependsOn is the verdict that is open in some ways.
func DependsOn(ways situation.Ways) Verdict { return Verdict{State: Depends, If: ways} }

// Never says of a verdict that depends, of a question that is not brief, that what it depends on
// cannot be.
func (v Verdict) Never() bool {
	if v.State != Depends {
		return false
	}
	ways, more := v.If.Minimal()
	return len(ways) == 0 && !more
}

// And joins two verdicts that must both hold: the lower state, with all
// reasons of that state.
func (v Verdict) And(w Verdict) Verdict {
	if v.State == w.State && v.State != Open {
		return v.both(w)
	}
	if v.State < w.State {
		return v
	}
	return w
}

// both has the reasons of two verdicts of the same state.
func (v Verdict) both(w Verdict) Verdict {
	return Verdict{v.State, v.If.And(w.If), union(v.ShutBy, w.ShutBy)}
}

// Either joins verdicts of which any one is enough. The zero value has none.
type Either struct {
	best State
	kept []Verdict // those of the best state, where it has reasons
}

// Add adds a verdict to a question's alternatives.
func (x *Either) Add(q *Question, v Verdict) {
	if v.State > x.best {
		x.best, x.kept = v.State, nil
	}
	if v.State == x.best && v.State != Open && !q.Brief {
		x.kept = append(x.kept, v)
	}
}

// None says that no line gives anything.
func (x *Either) None() bool { return x.best == None }

// Verdict is the highest state, with all ways, or all reasons, of that.
func (x *Either) Verdict() Verdict {
	best := Verdict{State: x.best}
	for _, v := range x.kept {
		best.If, best.ShutBy = best.If.Or(v.If), union(best.ShutBy, v.ShutBy)
	}
	return best
}

func subset[T comparable](inner, outer []T) bool {
	for _, x := range inner {
		if !slices.Contains(outer, x) {
			return false
		}
	}
	return true
}

func union[T comparable](a, b []T) []T {
	if subset(b, a) {
		return a
	}
	out := slices.Clone(a)
	for _, x := range b {
		if !slices.Contains(out, x) {
			out = append(out, x)
		}
	}
	return out
}

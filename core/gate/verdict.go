// Package gate holds what all gate types share: who and when, the states and
// their reasons, routes, and the small interface behind which each type stands
// (docs/model.md sections 2 and 4). It decides nothing by itself.
package gate

import (
	"fmt"
	"slices"

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

// And joins two verdicts that must both hold: the lower state, with all
// reasons of that state.
func (v Verdict) And(w Verdict) Verdict {
	switch {
	case v.State < w.State:
		return v
	case w.State < v.State:
		return w
	case v.State == Open:
		return v
	}
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

// Conditional is the verdict of a line that gives under a condition.
func Conditional(c *situation.Condition, q *Question, line Line) Verdict {
	truth := c.Holds(q.Facts)
	if q.Passes != nil {
		q.Note(&line, truth, c)
	}
	switch truth {
	case situation.True:
		return Opened
	case situation.Unknown:
		if q.Brief {
			return Verdict{State: Depends}
		}
		return DependsOn(c.Ways(q.Facts))
	}
	v := Verdict{State: Shut}
	if q.Brief {
		return v
	}
	for _, unmet := range c.Unmet(q.Facts) {
		v.ShutBy = append(v.ShutBy, Stop{ByCondition, line.Name, string(unmet)})
	}
	return v
}

// Barring is the verdict of a line that takes under a condition: shut where it
// holds, open where it does not, and where it is unknown the opposite of it is
// needed.
func Barring(c *situation.Condition, q *Question, line Line, reason Reason) Verdict {
	truth := c.Holds(q.Facts)
	if q.Passes != nil {
		q.Note(&line, truth, c)
	}
	switch truth {
	case situation.True:
		return q.ShutFor(reason, line.Name, "")
	case situation.Unknown:
		if q.Brief {
			return Verdict{State: Depends}
		}
		return DependsOn(c.Opposites(q.Facts))
	}
	return Opened
}

// Entitlement is what a user may do in one system, in one situation.
type Entitlement struct {
	System  string              `json:"system" doc:"The system."`
	Object  string              `json:"object" doc:"What it is about: a path, a product, an address …"`
	Right   string              `json:"right" doc:"What may be done."`
	State   State               `json:"state" doc:"What becomes of it here."`
	More    bool                `json:"open_if_more,omitempty" doc:"There are further ways than those of open_if."`
	Breadth string              `json:"breadth,omitempty" doc:"How far it goes: own, team or all."`
	Reply   map[string]any      `json:"reply,omitempty" doc:"What the gate answers with."`
	Claims  map[string][]string `json:"claims,omitempty" doc:"The claims that go along."`
	Needs   []situation.Need    `json:"needs" doc:"All that open_if asks for." nullable:"false"`
	OpenIf  [][]situation.Need  `json:"open_if" doc:"The ways in which it is open: everything that one of them asks for must be met, and any one is enough. [[]]: in any case; []: in none." nullable:"false"`
	ShutBy  []Stop              `json:"shut_by" doc:"What shuts it." nullable:"false"`
	Routes  []Route             `json:"routes" doc:"How the user comes to it." nullable:"false"`
	Misses  []Miss              `json:"misses,omitempty" doc:"Where it is none: the lines that would give it, and what is lacking."`
	Watch   []Watch             `json:"watch,omitempty" doc:"What policies that are only watched would have done."`
	// DecidedAt is the object that decided, where the one asked about is not
	// declared.
	DecidedAt string `json:"decided_at,omitempty" doc:"The declared object that decides for the one asked about."`

	ways situation.Ways // of which open_if and needs are made
}

// Judge sets the state and its reasons.
func (e *Entitlement) Judge(v Verdict) { e.State, e.ways, e.ShutBy = v.State, v.If, v.ShutBy }

// Surely is the state with what it depends on reckoned with: open where that is so in any
// case, shut where it never is.
func (e *Entitlement) Surely() State {
	switch {
	case e.State != Depends:
		return e.State
	case len(e.OpenIf) == 0:
		return Shut
	case len(e.OpenIf[0]) == 0:
		return Open
	}
	return Depends
}

// Verdict gives them back.
func (e *Entitlement) Verdict() Verdict { return Verdict{e.State, e.ways, e.ShutBy} }

// Come adds ways by which the user comes to it.
func (e *Entitlement) Come(routes []Route) {
	if e.Routes == nil {
		e.Routes = routes
	} else {
		e.Routes = append(slices.Clip(e.Routes), routes...)
	}
}

// Settle works out what it needs, and makes every list that is nil an empty one, so that
// it is written as one.
func (e *Entitlement) Settle(f *situation.Facts) {
	e.OpenIf, e.Needs = noWays, noNeeds
	switch e.State {
	case Open:
		e.OpenIf = anyway
	case Depends:
		e.OpenIf, e.Needs, e.More = f.Told(e.ways)
	}
	e.ways = situation.Ways{} // equal entitlements are equal values
	if e.ShutBy == nil {
		e.ShutBy = []Stop{}
	}
	if e.Routes == nil {
		e.Routes = []Route{}
	}
}

var (
	anyway  = [][]situation.Need{{}}
	noWays  = [][]situation.Need{}
	noNeeds = []situation.Need{}
)

// Route is one way in which a user comes to an entitlement.
type Route struct {
	Mapping string `json:"mapping" doc:"The line that gives it, as SYSTEM/NAME."`
	Direct  bool   `json:"direct" doc:"The line names the user."`
	By      string `json:"by,omitempty" doc:"What the line goes by besides: tag:NAME or claim:NAME."`
	Path    []Hop  `json:"path" doc:"The groups from the user to the line." nullable:"false"`
}

// Hop is one group on a route.
type Hop struct {
	Group string `json:"group" doc:"Full name of the group."`
	How   string `json:"how" enum:"direct,nested,rule,primary" doc:"How the one before is a member of it."`
}

// Watch is a policy that is only watched, with what it would have done.
type Watch struct {
	Policy string `json:"policy" doc:"The policy, as SYSTEM/NAME."`
	Would  string `json:"would" doc:"block, or what it would have required."`
	State  State  `json:"state" doc:"What it alone would have left."`
}

// Miss is a line that would give an entitlement, with what the user lacks.
type Miss struct {
	Mapping string   `json:"mapping" doc:"The line, as SYSTEM/NAME."`
	Lacks   []string `json:"lacks" doc:"What the user lacks: of groups and users any one is enough." nullable:"false"`
}

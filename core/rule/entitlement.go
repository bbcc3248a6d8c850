package rule

import (
	"slices"

	"gatemap/core/situation"
)

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
	by   *Rule          // the first ordered rule that may let in
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
func (e *Entitlement) Settle(q *Question) {
	e.OpenIf, e.Needs = noWays, noNeeds
	switch e.State {
	case Open:
		e.OpenIf = anyway
	case Depends:
		t := q.word(e.ways)
		e.OpenIf, e.Needs, e.More = t.openIf, t.needs, t.more
	}
	e.ways, e.by = situation.Ways{}, nil // equal entitlements are equal values
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
	Mapping string `json:"mapping" doc:"The line, as SYSTEM/NAME."`
	Lacks   []Lack `json:"lacks" doc:"What the user lacks: of groups and users any one is enough." nullable:"false"`
}

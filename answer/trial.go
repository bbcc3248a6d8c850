package answer

import (
	"time"

	"gatemap/core/change"
	"gatemap/core/finding"
	"gatemap/core/rule"
	"gatemap/stage"
)

// Trials are the trials that are open.
type Trials struct {
	Trials []Trial `json:"trials" nullable:"false"`
	Next   string  `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
}

// Trial is a named set of staged changes on top of the revision in force.
type Trial struct {
	Name     string    `json:"name"`
	Note     string    `json:"note,omitempty" doc:"What it is for."`
	Author   string    `json:"author" doc:"Who began it."`
	Created  time.Time `json:"created"`
	Base     int       `json:"base" doc:"The revision on which the newest change was staged."`
	Version  int       `json:"version" doc:"Counts up with every change to the trial; it is the ETag."`
	Reverts  int       `json:"reverts,omitempty" doc:"The revision that it reverts."`
	Changes  []Staged  `json:"changes" doc:"In the order in which they are applied." nullable:"false"`
	Applies  bool      `json:"applies" doc:"Whether all changes can be applied to the revision in force."`
	Obstacle string    `json:"obstacle,omitempty" doc:"Why not."`
	Notices  []string  `json:"notices,omitempty" doc:"Notices to read before it is committed."`
	Writes   int       `json:"writes,omitempty" doc:"How many records the commit first writes where they come from."`
}

// Staged is a staged change.
type Staged struct {
	Sentence string `json:"sentence" doc:"What it does, in a sentence."`
	By       string `json:"by" doc:"Who staged it."`
	stage.Change
}

// Effect is what a trial does to an entitlement.
type Effect string

// The effects.
const (
	Gain    Effect = "gain"
	Loss    Effect = "loss"
	Changed Effect = "change"
	Reroute Effect = "reroute"
	Every   Effect = "all" // asked for: all of these; else all but other routes
)

// Outcome is what a trial would change: how much, and a page of it.
type Outcome struct {
	Trial     string            `json:"trial"`
	Version   int               `json:"version" doc:"The version of the trial."`
	Revision  int               `json:"revision" doc:"The revision that it was tried on."`
	Situation map[string]string `json:"situation"`
	Total     Tally             `json:"total"`
	People    int               `json:"people" doc:"How many people it touches."`
	Looked    int               `json:"looked,omitempty" doc:"If it was not computed for everyone whom it may touch: for how many people."`
	BySystem  []Tallied         `json:"by_system" doc:"The systems that it touches." nullable:"false"`
	Deliver   []ToDeliver       `json:"deliver,omitempty" doc:"Those of them that a delivery brings to what the map then says."`
	ByPerson  []Tallied         `json:"by_person" doc:"The people whom it touches most, at most 50." nullable:"false"`
	ByCause   []Caused          `json:"by_cause" doc:"Why something is gained or lost, that of the most first, at most 50." nullable:"false"`
	Pieces    []Piece           `json:"pieces,omitempty" doc:"What came into networks and windows, or went out, with what becomes of those who come from there, or then; on the first page."`
	Seats     []TurnedSeats     `json:"seats,omitempty" doc:"Products whose taken seats change."`
	Items     []Effected        `json:"items" doc:"A page of all that it changes, by person; other routes only where they are asked for." nullable:"false"`
	Next      string            `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`

	MorePieces int `json:"more_pieces,omitempty" doc:"How many further pieces there are."`
}

// Caused is a cause of gains or losses, with how many there are, and of how many people.
type Caused struct {
	change.Cause
	Words   string `json:"words" doc:"The cause in words."`
	People  int    `json:"people"`
	Effects int    `json:"effects"`

	last string
}

// Count counts one effect; those of one user come together.
func (c *Caused) Count(user string) {
	if c.Effects++; c.last != user {
		c.People++
		c.last = user
	}
}

// Piece is a piece of a network or window, with what becomes of those who are there.
type Piece struct {
	change.Piece
	Computed bool  `json:"computed" doc:"Whether it was computed what becomes of those who are there; on large maps ask for the outcome with at as from, or at."`
	People   int   `json:"people" doc:"How many people it touches."`
	Total    Tally `json:"total" doc:"What they gain and lose there, or then."`
	Looked   int   `json:"looked,omitempty" doc:"If it was not computed for everyone: for how many people."`
}

// Tally counts effects.
type Tally struct {
	Gains    int `json:"gains"`
	Losses   int `json:"losses"`
	Changes  int `json:"changes" doc:"Held before and after, but changed."`
	Reroutes int `json:"reroutes" doc:"Unchanged, but by other routes."`
}

// Add counts one effect.
func (t *Tally) Add(e Effect) {
	switch e {
	case Gain:
		t.Gains++
	case Loss:
		t.Losses++
	case Changed:
		t.Changes++
	case Reroute:
		t.Reroutes++
	}
}

// All is how many effects there are.
func (t *Tally) All() int { return t.Gains + t.Losses + t.Changes + t.Reroutes }

// Tallied are the effects on one system, or one person.
type Tallied struct {
	Name string `json:"name"`
	Tally
}

// ToDeliver is a linked system that does not follow a commit before it is delivered to.
type ToDeliver struct {
	System string `json:"system"`
	When   string `json:"when" enum:"by-hand,on-commit" doc:"on-commit: at once, after the commit."`
}

// Effected is one effect on one person.
type Effected struct {
	Effect Effect            `json:"effect" enum:"gain,loss,change,reroute"`
	User   string            `json:"user"`
	Before *rule.Entitlement `json:"before,omitempty" doc:"As it is now; missing: not held."`
	After  *rule.Entitlement `json:"after,omitempty" doc:"As it would be; missing: not held."`
}

// Entitlement is the one that it is about: as it would be, or as it is.
func (e *Effected) Entitlement() *rule.Entitlement {
	if e.After != nil {
		return e.After
	}
	return e.Before
}

// TurnedSeats are the seats of a product, before and after.
type TurnedSeats struct {
	Product string `json:"product" doc:"SYSTEM/PRODUCT."`
	Seats   int    `json:"seats"`
	Before  int    `json:"before" doc:"Holders now."`
	After   int    `json:"after" doc:"Holders then."`
}

// Turned is what a trial turns: findings, and guarantees.
type Turned struct {
	Findings   change.TurnedFindings   `json:"findings"`
	Guarantees change.TurnedGuarantees `json:"guarantees"`
	// Whole says whether all findings were looked for, or those alone that what is
	// written has in it.
	Whole bool `json:"whole" doc:"Whether all findings were checked; otherwise only those in the documents, and all errors."`
}

// Stops says whether it keeps a trial from being committed.
func (t *Turned) Stops() bool { return t.errors() > 0 || len(t.Guarantees.Broken) > 0 }

func (t *Turned) errors() (n int) {
	for _, f := range t.Findings.New {
		if f.Severity == finding.Error {
			n++
		}
	}
	return n
}

// Impact is what a change would take away or let pass, said before it is staged.
type Impact struct {
	Sentence string   `json:"sentence" doc:"What the change does."`
	Passes   []string `json:"passes,omitempty" doc:"Of a rule that moves: the rules that it moves past."`
	Turned   *Turned  `json:"turned,omitempty"`
	Outcome
}

// Committed is what a commit made.
type Committed struct {
	Revision  int    `json:"revision"`
	Rebased   bool   `json:"rebased" doc:"Whether others had committed in the meantime, without touching the same things."`
	Again     bool   `json:"again,omitempty" doc:"Whether it had been committed already, with the same key."`
	Overrides string `json:"overrides,omitempty" doc:"What was overridden, by whom and why."`
	// Passwords are in no log, and in no second answer.
	Passwords []FirstPassword `json:"passwords,omitempty" doc:"First passwords of the accounts that the commit made. They are kept nowhere: hand them out, or set others."`
}

// FirstPassword is the first password of a new account.
type FirstPassword struct {
	User     string `json:"user"`
	Password string `json:"password"`
}

package answer

import (
	"context"

	"gatemap/core/situation"
	"gatemap/stage"
)

// Changer is where changes are staged and committed: a service, or a map folder.
type Changer interface {
	Trials(ctx context.Context) (*Trials, error)
	Trial(ctx context.Context, named string) (*Trial, error)
	// BeginTrial begins a trial: an empty one, or, with all files of a map folder by path,
	// one with the differences between these and the map in force.
	BeginTrial(ctx context.Context, named, note string, files map[string]string) (*Trial, error)
	// Stage adds changes to a trial: all of them, or none.
	Stage(ctx context.Context, named string, changes ...stage.Change) (*Trial, error)
	// Unstage takes one change out of a trial, by its number from 1.
	Unstage(ctx context.Context, named string, number int) (*Trial, error)
	// Withdraw stages that a user loses what lines give to the user by name; object may be
	// empty.
	Withdraw(ctx context.Context, named, user, system, right, object string) (*Trial, error)
	RemoveTrial(ctx context.Context, named string) error
	Outcome(ctx context.Context, named string, s situation.Situation, p Part) (*Outcome, error)
	// WholeOutcome is Outcome with all pages in one.
	WholeOutcome(ctx context.Context, named string, s situation.Situation, p Part) (*Outcome, error)
	Turned(ctx context.Context, named string) (*Turned, error)
	// Impact is what a change would do on top of a trial, or, where none is named, of what
	// is in force.
	Impact(ctx context.Context, named string, change stage.Change, s situation.Situation) (*Impact, error)
	// CommitTrial puts a version of a trial in force. The same key asks for the same commit;
	// override says why it is to be made though it brings an error or breaks a guarantee.
	CommitTrial(ctx context.Context, named string, version int, reason, override, key string) (*Committed, error)
	// Of answers questions as if a trial were in force; "" is none.
	Of(ctx context.Context, trial string) (Asker, error)
}

// Part says which part of an outcome is asked for; empty fields ask for all.
type Part struct {
	User, System, Effect, Cursor string
	Limit                        int // 1 to 1000; 0: 100
}

package answer

import (
	"context"

	"gatemap/core/situation"
)

// Holdings answers who holds what: by the map, or as it really is.
type Holdings interface {
	Reach(ctx context.Context, user, system string, s situation.Situation) (*Reach, error)
	Why(ctx context.Context, user, system, right, object string, s situation.Situation) (*Why, error)
	Who(ctx context.Context, system, right, object string, s situation.Situation) (*Who, error)
	Compare(ctx context.Context, first, second string, s situation.Situation) (*Compare, error)
	Matrix(ctx context.Context, system, group, right string, s situation.Situation) (*Matrix, error)
}

// Observer tells what linked systems really hold.
type Observer interface {
	// Linked lists the systems that have a link, with the newest reading of each.
	Linked(ctx context.Context) (*LinkedSystems, error)
	// Observe reads a system.
	Observe(ctx context.Context, system string) (*Linked, error)
	// Drifts tells how systems differ from the map: one, or, where none is named, all that are
	// linked.
	Drifts(ctx context.Context, system string, asked DriftAsked) (*Drifts, error)
	// Really answers from the newest readings.
	Really(ctx context.Context) (Holdings, error)
}

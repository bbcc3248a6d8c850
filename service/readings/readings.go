// Package readings reads linked systems, by hand and on schedule, keeps the newest reading of each,
// answers questions from what is really there, and tells how that differs from the map. It changes
// neither the map nor a system.
package readings

import (
	"context"
	"fmt"
	"iter"
	"log/slog"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/events"
	"gatemap/service/keeping"
	"gatemap/service/query"
	"gatemap/store"
)

// Ports are what readings need of the workspace that they are of.
type Ports struct {
	Keeper  Keeper
	Head    func() *query.Head
	Host    *connect.Host
	Events  *events.Events
	Log     *slog.Logger
	Closing context.Context      // ends when the workspace is being closed
	Working *sync.WaitGroup      // counts what goes on
	Busy    func() (rest func()) // is called when much is about to be read, and rest when it was
	// AtOnce says that a system of which there is no reading is read when something is asked of it.
	AtOnce bool
}

// Keeper keeps the newest readings, as store.Store does.
type Keeper interface {
	Readings(ctx context.Context) ([]store.Reading, error)
	ReadingBody(ctx context.Context, system string) ([]byte, error)
	KeepReading(ctx context.Context, r *store.Reading, entries ...store.Entry) error
}

// Readings are the readings of the systems of one map. They are safe for use by many.
type Readings struct{ *shelf }

// Open makes ready to read systems.
func Open(ctx context.Context, p Ports) (*Readings, error) {
	s := &shelf{Ports: p, of: map[string]*kept{}}
	rows, err := p.Keeper.Readings(ctx)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		s.of[name.Fold(row.System)] = &kept{row: row}
	}
	return &Readings{s}, nil
}

// linkedIn are the systems of a map that have a link, by name.
func linkedIn(head *query.Head) iter.Seq[*gate.System] {
	return func(yield func(*gate.System) bool) {
		for _, s := range head.Atlas.Systems {
			if connect.LinkOf(s.Document) != nil && !yield(s.Document) {
				return
			}
		}
	}
}

// linked finds a system that has a link. The error is a *directory.NotFoundError or an
// *answer.ConflictError.
func linked(head *query.Head, system string) (*gate.System, error) {
	found, err := head.Atlas.System(system)
	if err != nil {
		return nil, err
	}
	if connect.LinkOf(found.Document) == nil {
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf(
				"the system %s has no link, so that nobody can say what it really holds: give its document the key link",
				found.Name(),
			),
		}
	}
	return found.Document, nil
}

// Read reads a system, and keeps what it holds. What was read before stays where that fails.
func (s *Readings) Read(ctx context.Context, by operator.Actor, system string) (*answer.Linked, error) {
	head := s.Head()
	document, err := linked(head, system)
	if err != nil {
		return nil, err
	}
	if err := s.take(ctx, by, head, document); err != nil {
		return nil, err
	}
	return s.describe(ctx, head, document)
}

// Start reads a system by itself, and waits for it for a while: what it does not wait for goes on,
// and the answer says that it does.
func (s *Readings) Start(
	ctx context.Context,
	by operator.Actor,
	system string,
	wait time.Duration,
) (*answer.Linked, error) {
	head := s.Head()
	document, err := linked(head, system)
	if err != nil {
		return nil, err
	}
	l, over, err := keeping.Awhile(
		ctx,
		s.Working,
		wait,
		func() (*answer.Linked, error) { return s.Read(s.Closing, by, document.Name) },
	)
	if over || err != nil {
		return l, err
	}
	if l, err = s.describe(ctx, head, document); err == nil {
		l.Busy = true
	}
	return l, err
}

// Follow reads systems as often as their links say, until the workspace is closed.
func (s *Readings) Follow() {
	revisions := s.Events.Listen(s.Closing)
	s.Working.Go(func() {
		keeping.Going(s.Closing, revisions, func() map[string]keeping.Wanted {
			wanted := map[string]keeping.Wanted{}
			for d := range linkedIn(s.Head()) {
				if d.Link.Every.Duration > 0 {
					wanted[d.Name] = keeping.Wanted{
						As:    d.Link,
						Begin: func(ctx context.Context) { s.Working.Go(func() { s.every(ctx, d) }) },
					}
				}
			}
			return wanted
		})
	})
}

// every reads a system at once, where there is no reading that is young enough, and then as often
// as its link says.
func (s *Readings) every(ctx context.Context, d *gate.System) {
	every := d.Link.Every.Duration
	k := s.kept(d.Name)
	k.mu.Lock()
	wait := every - time.Since(k.row.Tried)
	k.mu.Unlock()
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		if _, err := s.Read(ctx, operator.Service, d.Name); err != nil && ctx.Err() != nil {
			return
		}
		wait = every
	}
}

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
	"gatemap/core/reading"
	"gatemap/operator"
	"gatemap/service/audit"
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
type Readings struct {
	Ports
	mu sync.Mutex
	of map[string]*kept // by the folded names of systems
}

// kept is what is known of one system.
type kept struct {
	busy sync.Mutex // while it is read
	work sync.Mutex // while what follows from its reading is computed

	mu      sync.Mutex
	going   bool // it is being read
	row     store.Reading
	reading *reading.Reading // of row, once it was unpacked
	head    *query.Head      // of which what follows was computed
	real    *reading.Compiled
	drift   *reading.Drift
}

// Open makes ready to read systems.
func Open(ctx context.Context, p Ports) (*Readings, error) {
	s := &Readings{Ports: p, of: map[string]*kept{}}
	rows, err := p.Keeper.Readings(ctx)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		s.of[name.Fold(row.System)] = &kept{row: row}
	}
	return s, nil
}

func (s *Readings) kept(system string) *kept {
	s.mu.Lock()
	defer s.mu.Unlock()
	key := name.Fold(system)
	if s.of[key] == nil {
		s.of[key] = &kept{row: store.Reading{System: system}}
	}
	return s.of[key]
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
func (s *Readings) linked(head *query.Head, system string) (*gate.System, error) {
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
	document, err := s.linked(head, system)
	if err != nil {
		return nil, err
	}
	k := s.kept(document.Name)
	k.busy.Lock()
	defer k.busy.Unlock()
	k.goes(true)
	defer k.goes(false)
	tried := time.Now()
	r, real, err := s.observed(ctx, head, document)
	if err != nil && ctx.Err() != nil {
		return nil, ctx.Err() // who asked has gone: that says nothing of the system
	}
	row := store.Reading{System: document.Name, Tried: tried}
	if err != nil {
		k.mu.Lock()
		row.Failed = k.row.Failed + 1
		k.mu.Unlock()
		row.Error = err.Error()
		s.Log.Warn("a linked system cannot be read", "system", document.Name, "error", err)
	} else {
		row.At = r.At
		if row.Body, err = pack(r); err != nil {
			return nil, err
		}
	}
	if failed := s.keep(ctx, by, k, row, head, real); failed != nil {
		return nil, failed
	}
	if err != nil {
		return nil, &answer.ConflictError{Message: err.Error()}
	}
	k.goes(false)
	return s.describe(ctx, head, document)
}

// observed reads a system, and compiles what it holds: what cannot be compiled is no reading.
func (s *Readings) observed(
	ctx context.Context, head *query.Head, document *gate.System,
) (r *reading.Reading, real *reading.Compiled, err error) {
	defer s.Busy()()
	if r, err = connect.Observe(ctx, document, *s.Host, func(int) {}); err == nil {
		real, err = reading.Compile(r, head.Atlas, document)
	}
	return r, real, err
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
	document, err := s.linked(head, system)
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

func (k *kept) goes(going bool) {
	k.mu.Lock()
	k.going = going
	k.mu.Unlock()
}

// keep keeps how a reading went, and tells everyone.
func (s *Readings) keep(
	ctx context.Context,
	by operator.Actor,
	k *kept,
	row store.Reading,
	head *query.Head,
	real *reading.Compiled,
) error {
	var entries []store.Entry
	if !by.IsService() {
		detail := "read the system"
		if row.Error != "" {
			detail = "could not read the system: " + row.Error
		}
		entries = append(entries, audit.Of(by, "reading", row.System, audit.Done, detail))
	}
	if err := s.Keeper.KeepReading(context.WithoutCancel(ctx), &row, entries...); err != nil {
		return err
	}
	row.Body = nil // the store has it
	k.mu.Lock()
	if real == nil {
		row.At = k.row.At
	} else {
		k.reading, k.head, k.real, k.drift = real.Reading, head, real, nil
	}
	k.row = row
	k.mu.Unlock()
	s.Events.Tell(events.Event{Reading: row.System})
	return nil
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

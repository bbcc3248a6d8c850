package readings

import (
	"context"
	"fmt"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/reading"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/events"
	"gatemap/service/query"
	"gatemap/store"
)

// shelf keeps the newest reading of each system, and what follows from it.
type shelf struct {
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

func (s *shelf) kept(system string) *kept {
	s.mu.Lock()
	defer s.mu.Unlock()
	key := name.Fold(system)
	if s.of[key] == nil {
		s.of[key] = &kept{row: store.Reading{System: system}}
	}
	return s.of[key]
}

// take reads a system, and keeps what it holds.
func (s *shelf) take(ctx context.Context, by operator.Actor, head *query.Head, document *gate.System) error {
	k := s.kept(document.Name)
	k.busy.Lock()
	defer k.busy.Unlock()
	k.goes(true)
	defer k.goes(false)
	tried := time.Now()
	r, real, err := s.observed(ctx, head, document)
	if err != nil && ctx.Err() != nil {
		return ctx.Err() // who asked has gone: that says nothing of the system
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
			return err
		}
	}
	if failed := s.keep(ctx, by, k, row, head, real); failed != nil {
		return failed
	}
	if err != nil {
		return &answer.ConflictError{Message: err.Error()}
	}
	return nil
}

// observed reads a system, and compiles what it holds: what cannot be compiled is no reading.
func (s *shelf) observed(
	ctx context.Context, head *query.Head, document *gate.System,
) (r *reading.Reading, real *reading.Compiled, err error) {
	defer s.Busy()()
	if r, err = connect.Observe(ctx, document, *s.Host, func(int) {}); err == nil {
		real, err = reading.Compile(r, head.Atlas, document)
	}
	return r, real, err
}

// keep keeps how a reading went, and tells everyone.
func (s *shelf) keep(
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

func (k *kept) goes(going bool) {
	k.mu.Lock()
	k.going = going
	k.mu.Unlock()
}

// compiled is the newest reading of a system, with the map as it is.
func (s *shelf) compiled(ctx context.Context, head *query.Head, d *gate.System) (*reading.Compiled, error) {
	k := s.kept(d.Name)
	if s.AtOnce && !k.any() {
		if err := s.take(ctx, operator.Service, head, d); err != nil {
			return nil, err
		}
	}
	if real := k.compiled(head); real != nil {
		return real, nil
	}
	k.work.Lock()
	defer k.work.Unlock()
	if real := k.compiled(head); real != nil {
		return real, nil
	}
	r, err := s.reading(ctx, k, d)
	if err != nil {
		return nil, err
	}
	real, err := reading.Compile(r, head.Atlas, d)
	if err != nil {
		return nil, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.reading == r { // no other has come since
		k.head, k.real, k.drift = head, real, nil
	}
	return real, nil
}

// reading is the newest reading of a system.
func (s *shelf) reading(ctx context.Context, k *kept, d *gate.System) (*reading.Reading, error) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.row.At.IsZero() {
		return nil, unread(d.Name, k.row.Error)
	}
	if k.reading == nil {
		body, err := s.Keeper.ReadingBody(ctx, d.Name)
		if err == nil {
			k.reading, err = unpack(body)
		}
		if err != nil {
			return nil, err
		}
	}
	if k.reading.Type != d.Type.Name {
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf(
				"the system %s was read as one of the type %s, and is of the type %s now: read it again",
				d.Name,
				k.reading.Type,
				d.Type.Name,
			),
		}
	}
	return k.reading, nil
}

// any says whether there is a reading.
func (k *kept) any() bool {
	k.mu.Lock()
	defer k.mu.Unlock()
	return !k.row.At.IsZero()
}

// compiled is the reading as it was compiled with a map; nil: it was not.
func (k *kept) compiled(head *query.Head) *reading.Compiled {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.head != head {
		return nil
	}
	return k.real
}

// drifted is how the newest reading differs from the map as it is.
func (s *shelf) drifted(ctx context.Context, head *query.Head, d *gate.System) (*reading.Drift, error) {
	real, err := s.compiled(ctx, head, d)
	if err != nil {
		return nil, err
	}
	k := s.kept(d.Name)
	k.work.Lock()
	defer k.work.Unlock()
	k.mu.Lock()
	drift := k.drift
	k.mu.Unlock()
	if drift != nil && drift.Of == real {
		return drift, nil
	}
	if drift, err = between(real, d); err != nil {
		return nil, err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.real == real {
		k.drift = drift
	}
	return drift, nil
}

// between is how a reading differs from the map with which it was compiled.
func between(real *reading.Compiled, d *gate.System) (*reading.Drift, error) {
	t, _ := types.Named(d.Type.Name)
	return reading.Between(real, t)
}

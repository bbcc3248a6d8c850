// Package events tells those who listen what happens. Nobody who is slow holds up another, and
// nobody misses a revision.
package events

import (
	"context"
	"slices"
	"sync"

	"gatemap/answer"
)

// Event is something that happened: a run got further, a trial has changed, a linked system
// was read, a delivery got further, or there is a new revision.
type Event struct {
	Run      *answer.Run
	Trial    string
	Reading  string // of which system
	Delivery string // to which system
	Revision int
}

// takesThePlaceOf says that whoever hears of this one need not hear of one before.
func (e *Event) takesThePlaceOf(old Event) bool {
	switch {
	case e.Run != nil:
		return old.Run != nil && old.Run.ID == e.Run.ID
	case e.Trial != "":
		return old.Trial == e.Trial
	case e.Reading != "":
		return old.Reading == e.Reading
	case e.Delivery != "":
		return old.Delivery == e.Delivery
	}
	return old.Run == nil && old.Trial == "" && old.Reading == "" && old.Delivery == ""
}

// Events tells events to all who listen. The zero Events has no listener, and is ready to use.
type Events struct {
	mu        sync.Mutex
	listeners map[*listener]bool
}

// waiting is how many events wait for a listener at most.
const waiting = 64

// listener has the events that one has not heard of yet: of each run and trial, and of
// revisions, the newest. Of more than waiting the oldest is lost, but never a revision.
type listener struct {
	mu      sync.Mutex
	pending []Event
	more    chan struct{} // has something as long as there may be events
}

func (l *listener) add(event Event) {
	l.mu.Lock()
	l.pending = append(slices.DeleteFunc(l.pending, event.takesThePlaceOf), event)
	if len(l.pending) > waiting {
		oldest := slices.IndexFunc(l.pending, func(e Event) bool { return e.Revision == 0 })
		l.pending = slices.Delete(l.pending, oldest, oldest+1)
	}
	l.mu.Unlock()
	select {
	case l.more <- struct{}{}:
	default:
	}
}

func (l *listener) next() (e Event, ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if len(l.pending) == 0 {
		return Event{}, false
	}
	e = l.pending[0]
	l.pending = slices.Delete(l.pending, 0, 1)
	return e, true
}

// handOn gives out what comes until the context ends.
func (l *listener) handOn(ctx context.Context, to chan<- Event) {
	defer close(to)
	for {
		e, ok := l.next()
		if !ok {
			select {
			case <-l.more:
				continue
			case <-ctx.Done():
				return
			}
		}
		select {
		case to <- e:
		case <-ctx.Done():
			return
		}
	}
}

// Tell tells an event to all who listen.
func (e *Events) Tell(event Event) {
	e.mu.Lock()
	defer e.mu.Unlock()
	for l := range e.listeners {
		l.add(event)
	}
}

// Listen tells what happens from now on, until the context ends.
func (e *Events) Listen(ctx context.Context) <-chan Event {
	l, to := &listener{more: make(chan struct{}, 1)}, make(chan Event)
	e.mu.Lock()
	if e.listeners == nil {
		e.listeners = map[*listener]bool{}
	}
	e.listeners[l] = true
	e.mu.Unlock()
	context.AfterFunc(ctx, func() {
		e.mu.Lock()
		defer e.mu.Unlock()
		delete(e.listeners, l)
	})
	go l.handOn(ctx, to)
	return to
}

package service

import (
	"context"
	"sync"

	"gatemap/answer"
)

// Event is something that happened: a run got further, a trial has changed, or
// there is a new revision.
type Event struct {
	Run      *answer.Run
	Trial    string
	Revision int
}

// events tells events to all who listen. Nobody who is slow holds up another:
// of more than waiting events the oldest is lost, and the newest always comes.
type events struct {
	mu        sync.Mutex
	listeners map[chan Event]bool
}

const waiting = 64

func (e *events) tell(event Event) {
	e.mu.Lock()
	defer e.mu.Unlock()
	for l := range e.listeners {
		select {
		case l <- event:
			continue
		default:
		}
		select {
		case <-l:
		default:
		}
		l <- event // only tell sends, under the lock, so there is room now
	}
}

// Events tells what happens from now on, until the context ends.
func (s *Service) Events(ctx context.Context) <-chan Event {
	l := make(chan Event, waiting)
	e := &s.events
	e.mu.Lock()
	if e.listeners == nil {
		e.listeners = map[chan Event]bool{}
	}
	e.listeners[l] = true
	e.mu.Unlock()
	context.AfterFunc(ctx, func() {
		e.mu.Lock()
		defer e.mu.Unlock()
		delete(e.listeners, l)
		close(l)
	})
	return l
}

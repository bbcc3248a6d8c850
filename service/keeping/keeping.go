// Package keeping keeps things going: what a map asks for, such as following a directory, for as long
// as each revision asks for it in the same way, and work that goes on when nobody waits for it any
// more. It does none of them.
package keeping

import (
	"context"

	"gatemap/service/events"
)

// Wanted is something that is to go on: what it follows from, which is comparable, and how it
// begins. It goes on until its context ends.
type Wanted struct {
	As    any
	Begin func(context.Context)
}

// Going keeps going what wanted says, by name, and asks it again at every revision: what follows
// from something else now ends and begins anew. It returns when the context ends.
func Going(ctx context.Context, revisions <-chan events.Event, wanted func() map[string]Wanted) {
	type begun struct {
		as  any
		end context.CancelFunc
	}
	going := map[string]begun{}
	for {
		now := wanted()
		for named, old := range going {
			if w, stays := now[named]; !stays || w.As != old.as {
				old.end()
				delete(going, named)
			}
		}
		for named, w := range now {
			if _, goes := going[named]; !goes {
				own, end := context.WithCancel(ctx)
				going[named] = begun{w.As, end}
				w.Begin(own)
			}
		}
		for e := (events.Event{}); e.Revision == 0; {
			var more bool
			if e, more = <-revisions; !more {
				return
			}
		}
	}
}

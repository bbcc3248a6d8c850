package connect

import (
	"context"
	"math/rand/v2"
	"time"
)

// lastWait is the longest pause before something is tried again.
const lastWait = 30 * time.Second

// Pause waits for about a time, less where the context ends.
func Pause(ctx context.Context, wait time.Duration) error {
	t := time.NewTimer(wait/2 + rand.N(wait)) // apart, so that not all come back at once
	defer t.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-t.C:
		return nil
	}
}

// Longer is the pause after a pause: twice as long, up to half a minute.
func Longer(wait time.Duration) time.Duration { return min(2*wait, lastWait) }

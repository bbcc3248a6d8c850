package keeping

import (
	"context"
	"sync"
	"time"
)

// Awhile begins work that goes on without whoever asked for it, and waits for it for a while: over
// says that it is done. The error is also that of a context that ends while it waits.
func Awhile[T any](
	ctx context.Context,
	working *sync.WaitGroup,
	wait time.Duration,
	work func() (T, error),
) (result T, over bool, err error) {
	type done struct {
		result T
		err    error
	}
	ended := make(chan done, 1)
	working.Go(func() {
		r, err := work()
		ended <- done{r, err}
	})
	select {
	case d := <-ended:
		return d.result, true, d.err
	case <-ctx.Done():
		return result, false, ctx.Err()
	case <-time.After(wait):
		return result, false, nil
	}
}

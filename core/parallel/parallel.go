// Package parallel shares compute over the processors. It waits for all of it:
// no goroutine outlives a call.
package parallel

import (
	"runtime"
	"sync"
	"sync/atomic"
)

// Do does all of several pieces of work at the same time.
func Do(works ...func()) {
	For(len(works), 1, func(from, to int) {
		for _, work := range works[from:to] {
			work()
		}
	})
}

// For hands every stretch of the numbers from 0 to n-1, none longer than piece,
// to work, which must be safe to run at the same time for different stretches.
// A small n is done at once by the caller.
func For(n, piece int, work func(from, to int)) {
	workers := min(runtime.GOMAXPROCS(0), (n+piece-1)/piece)
	if workers <= 1 {
		if n > 0 {
			work(0, n)
		}
		return
	}
	var next atomic.Int64
	var all sync.WaitGroup
	for range workers {
		all.Go(func() {
			for {
				to := int(next.Add(int64(piece)))
				from := to - piece
				if from >= n {
					return
				}
				work(from, min(to, n))
			}
		})
	}
	all.Wait()
}

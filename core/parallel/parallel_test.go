package parallel_test

import (
	"sync/atomic"
	"testing"

	"pgregory.net/rapid"

	"gatemap/core/parallel"
)

// Every number is worked on once, in stretches that are no longer than asked
// where there is more than one.
func TestEveryNumberOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n, piece := rapid.IntRange(0, 500).Draw(t, "n"), rapid.IntRange(1, 50).Draw(t, "piece")
		met := make([]atomic.Int32, n)
		var calls atomic.Int32
		parallel.For(n, piece, func(from, to int) {
			calls.Add(1)
			for i := from; i < to; i++ {
				met[i].Add(1)
			}
		})
		for i := range met {
			if times := met[i].Load(); times != 1 {
				t.Fatalf("%d of %d was worked on %d times", i, n, times)
			}
		}
		if n == 0 && calls.Load() > 0 {
			t.Fatal("nothing to do, and yet it was done")
		}
	})
}

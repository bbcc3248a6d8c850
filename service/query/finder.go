package query

import (
	"sync"
	"time"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/finding"
)

// finder looks once for what is wrong in an atlas, when it is first asked, and has what it
// found so far.
type finder struct {
	atlas *atlas.Atlas
	begin sync.Once
	done  chan struct{}

	mu     sync.Mutex
	parts  [][]finding.Finding // by analyzer
	sorted []finding.Finding   // once they are all there
	left   int                 // analyzers that are at work
}

func newFinder(a *atlas.Atlas) *finder {
	return &finder{
		atlas: a,
		done:  make(chan struct{}),
		parts: make([][]finding.Finding, len(check.Analyzers)),
		left:  len(check.Analyzers),
	}
}

func (f *finder) look() {
	f.begin.Do(func() {
		go func() {
			check.Look(f.atlas, f.take)
			close(f.done)
		}()
	})
}

// take takes what an analyzer found.
func (f *finder) take(analyzer int, list []finding.Finding) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.parts[analyzer] = list
	if f.left--; f.left == 0 {
		f.sorted = check.Sorted(f.parts)
	}
}

// all waits for everything.
func (f *finder) all() []finding.Finding {
	f.look()
	<-f.done
	return f.sorted
}

// soFar waits for so long, and gives what was found by then; whole says that it is
// everything.
func (f *finder) soFar(wait time.Duration) (list []finding.Finding, whole bool) {
	f.look()
	select {
	case <-f.done:
	case <-time.After(wait):
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.left > 0 {
		return check.Sorted(f.parts), false
	}
	return f.sorted, true
}

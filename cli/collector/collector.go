// Package collector sets how eagerly the memory of the process is looked through for what is no
// longer used. That is the business of the program, and of no part of it.
package collector

import (
	"context"
	"gatemap/workspace"
	"log/slog"
	"runtime/debug"
	"sync"
)

// The targets, in percent of what is in use (see debug.SetGCPercent).
const (
	loading = 700 // nearly all memory that is taken stays in use, so that looking is seldom worth it
	busy    = 20  // what is read must not take much more memory than it brings
)

var (
	mu    sync.Mutex
	many  int // works that go on
	usual int
)

// Busy begins a work that reads much; rest ends it. Many can go on at a time.
func Busy() (rest func()) {
	mu.Lock()
	defer mu.Unlock()
	if many++; many == 1 {
		usual = debug.SetGCPercent(busy)
	}
	return sync.OnceFunc(func() {
		mu.Lock()
		defer mu.Unlock()
		if many--; many == 0 {
			debug.SetGCPercent(usual)
		}
	})
}

// Open is workspace.Open with memory looked through as it is best for that.
func Open(ctx context.Context, folder string, log *slog.Logger, sealKey string) (s *workspace.Service, err error) {
	defer debug.SetGCPercent(debug.SetGCPercent(loading))
	return workspace.Open(ctx, folder, log, workspace.Options{SealKey: sealKey, Busy: Busy})
}

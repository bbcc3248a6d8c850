// Package access is who can use a service: operators, tokens, and how someone signs in.
package access

import (
	"context"
	"sync/atomic"

	"gatemap/service/audit"
	"gatemap/service/history"
	"gatemap/store"
)

// Operators are the people who use a service.
type Operators struct {
	store    *store.Store
	audit    *audit.Log
	tokens   *Tokens
	throttle *throttle
	hashing  *hashing
}

// Tokens are what programs, and people who use one, show instead of signing in.
type Tokens struct {
	store   *store.Store
	history *history.History
	keys    atomic.Pointer[store.Keys]
}

// Sessions are those who have signed in.
type Sessions struct {
	store    *store.Store
	audit    *audit.Log
	history  *history.History
	tokens   *Tokens
	throttle *throttle
	hashing  *hashing
}

// Open reads who can use the service of a store. The error is that of the store.
func Open(
	ctx context.Context,
	st *store.Store,
	log *audit.Log,
	h *history.History,
) (*Operators, *Tokens, *Sessions, error) {
	tokens := &Tokens{store: st, history: h}
	slow, hash := newThrottle(), newHashing()
	return &Operators{store: st, audit: log, tokens: tokens, throttle: slow, hashing: hash}, tokens,
		&Sessions{store: st, audit: log, history: h, tokens: tokens, throttle: slow, hashing: hash}, tokens.read(ctx)
}

// Package audit keeps what was done, and by whom. Entries are only ever added.
package audit

import (
	"context"
	"log/slog"
	"strings"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/page"
	"gatemap/store"
)

// The results of an entry of the audit.
const (
	Done    = "done"
	Refused = "refused"
)

// Of is an entry of the audit.
func Of(by operator.Actor, act, object, result, detail string) store.Entry {
	if by.Token != "" {
		detail = strings.TrimSpace(detail + " (token “" + by.Token + "”)")
	}
	return store.Entry{
		At:     time.Now(),
		Actor:  by.Name,
		Act:    act,
		Object: object,
		Result: result,
		Detail: detail,
		Origin: by.Origin,
	}
}

// Log is the audit of one service.
type Log struct {
	store    *store.Store
	log      *slog.Logger
	refusals refusals

	closing context.Context
	working *sync.WaitGroup
}

// New makes the audit in a store. What it does by itself ends when closing does, and is counted
// in working.
func New(closing context.Context, working *sync.WaitGroup, st *store.Store, log *slog.Logger) *Log {
	return &Log{store: st, log: log, closing: closing, working: working}
}

// Note adds an entry to the audit. It is added even when the caller has gone. Of the
// refusals of those who are not known only so many are (refusals).
func (s *Log) Note(ctx context.Context, by operator.Actor, act, object, result, detail string) error {
	if result == Refused && by.Role == "" && !s.refusals.take(by.Origin, time.Now(), s.SumUp) {
		return nil
	}
	return s.store.Audit(context.WithoutCancel(ctx), Of(by, act, object, result, detail))
}

// Refused notes that someone was refused.
func (s *Log) Refused(ctx context.Context, by operator.Actor, act, why string) {
	if err := s.Note(ctx, by, act, "", Refused, why); err != nil {
		s.log.Error("the audit cannot be written", "error", err)
	}
}

// List lists entries of the audit, the newest first.
func (s *Log) List(ctx context.Context, a store.Asked, limit int, cursor string) (*answer.Audit, error) {
	last, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	a.Last, a.Limit = int64(last), limit+1
	list, err := s.store.Entries(ctx, a)
	if err != nil {
		return nil, err
	}
	out := &answer.Audit{Entries: []answer.Entry{}}
	list, out.Next = page.Cut(list, limit, func(e *store.Entry) int64 { return e.Number })
	for _, e := range list {
		out.Entries = append(out.Entries, answer.Entry(e))
	}
	return out, nil
}

// Verify looks whether the audit is what it was when it was written, and goes on from a head that
// was kept where one is given.
func (s *Log) Verify(ctx context.Context, kept string) (*answer.Verified, error) {
	return Verify(ctx, s.store, kept)
}

// Verify is Service.Verify for a store.
func Verify(ctx context.Context, st *store.Store, kept string) (*answer.Verified, error) {
	if kept != "" {
		if _, err := store.ParseHead(kept); err != nil {
			return nil, answer.Invalid("against", kept, err.Error())
		}
	}
	head, err := st.Verify(ctx, kept)
	v := &answer.Verified{Entries: head.Number, Hash: head.Hash, Head: head.String(), Holds: err == nil}
	if b, ok := err.(*store.BrokenError); ok {
		v.Broken, v.Reason = b.Number, b.Reason
		return v, nil
	}
	return v, err
}

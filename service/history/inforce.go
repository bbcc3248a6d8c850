// Package history keeps the revisions of a map: the newest, which is in force, and what each of
// them changed. It decides nothing: who may make one is asked before.
package history

import (
	"context"
	"log/slog"
	"sync"
	"sync/atomic"

	"gatemap/core/atlas"
	"gatemap/service/content"
	"gatemap/service/events"
	"gatemap/service/query"
	"gatemap/store"
)

// History is the revisions of one map. It is safe for use by many: who asks while a revision is
// made is answered from the one before.
//
// It is locked while a revision is made, and by whoever looks at what is in force to decide what
// the next one is.
type History struct {
	sync.Mutex
	store  *store.Store
	events *events.Events
	log    *slog.Logger
	head   atomic.Pointer[query.Head]
	moved  []func()
}

// New makes the history that a store holds. Nothing is in force until Put.
func New(st *store.Store, told *events.Events, log *slog.Logger) *History {
	return &History{store: st, events: told, log: log}
}

// OnMove has something done each time that another revision is in force. It is for those who put
// the service together, before it is used.
func (s *History) OnMove(do func()) { s.moved = append(s.moved, do) }

// Head is what is in force.
func (s *History) Head() *query.Head { return s.head.Load() }

// Put puts a revision in force, which the store has.
func (s *History) Put(r store.Revision, f *content.Folder, a *atlas.Atlas) {
	s.head.Store(&query.Head{Revision: r, Folder: f, Answers: query.From(a)})
	for _, do := range s.moved {
		do()
	}
	s.events.Tell(events.Event{Revision: r.Number})
}

// Amend makes a revision of rows that differ from the one in force, with the folder and the
// atlas that come of them. The history is locked. The error is that of store.Amend.
func (s *History) Amend(
	ctx context.Context,
	r store.Revision,
	put []store.Pending,
	gone []store.Key,
	f *content.Folder,
	a *atlas.Atlas,
) (store.Revision, error) {
	made, err := s.store.Amend(ctx, s.Head().Revision.Number, r, put, gone)
	if err != nil {
		return r, err
	}
	s.Put(made, f, a)
	s.tell(made)
	return made, nil
}

// Replace makes a revision of all rows of a map. The history is locked. A map that is the same
// as that in force makes none.
func (s *History) Replace(
	ctx context.Context,
	r store.Revision,
	rows []store.Row,
	f *content.Folder,
	a *atlas.Atlas,
) (store.Revision, error) {
	before := s.Head().Revision
	made, err := s.store.Commit(ctx, r, rows)
	if err != nil {
		return before, err
	}
	if made.Number != before.Number {
		s.Put(made, f, a)
		s.tell(made)
	}
	return made, nil
}

func (s *History) tell(r store.Revision) {
	s.log.Info(
		"revision committed",
		"revision",
		r.Number,
		"author",
		r.Author,
		"reason",
		r.Reason,
		"trial",
		r.Trial,
		"overrides",
		r.Overrides,
	)
}

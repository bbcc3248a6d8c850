package service

import (
	"context"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync/atomic"
	"time"

	"gatemap/core/atlas"
	"gatemap/store"
)

// Service keeps the revisions of one map and answers from the newest. It is
// safe for use by many: who asks while a revision is committed is answered
// from the one before.
type Service struct {
	store *store.Store
	keys  *store.Keys
	log   *slog.Logger
	head  atomic.Pointer[Head]
}

// Head is the newest revision, compiled. It is immutable.
type Head struct {
	Revision store.Revision
	Answers
}

// SessionLength is how long a session in the console holds.
const SessionLength = 12 * time.Hour

// Open opens a data folder and compiles the newest revision in it. Without any
// the map is empty.
func Open(ctx context.Context, folder string, log *slog.Logger) (*Service, error) {
	st, err := store.Open(ctx, folder)
	if err != nil {
		return nil, err
	}
	s := &Service{store: st, log: log}
	if err := s.load(ctx); err != nil {
		_ = st.Close()
		return nil, err
	}
	return s, nil
}

func (s *Service) load(ctx context.Context) error {
	var err error
	if s.keys, err = s.store.Tokens(ctx); err != nil {
		return err
	}
	head, err := s.store.Head(ctx)
	if err != nil {
		return err
	}
	if head.Number == 0 {
		a, err := atlas.Compile(&atlas.Map{})
		s.put(head, a)
		return err
	}
	// While a map is read nearly all memory that is taken stays in use, so that
	// looking for what does not is seldom worth it.
	defer debug.SetGCPercent(debug.SetGCPercent(400))
	from := fmt.Sprintf("revision %d", head.Number)
	folder, err := fromRows(func(visit func(store.Row) error) error { return s.store.Load(ctx, head.Number, visit) })
	if err != nil {
		return &LoadError{from, err}
	}
	a, err := folder.Compile(from)
	if err != nil {
		return err
	}
	s.put(head, a)
	return nil
}

func (s *Service) put(r store.Revision, a *atlas.Atlas) {
	s.head.Store(&Head{r, From(a)})
}

// Head is what is in force.
func (s *Service) Head() *Head { return s.head.Load() }

// CommitFolder makes a folder the newest revision, where it differs from the
// one in force. A folder that cannot be compiled changes nothing.
func (s *Service) CommitFolder(ctx context.Context, f *Folder, author, reason string) (store.Revision, error) {
	a, err := f.Compile("the folder")
	if err != nil {
		return store.Revision{}, err
	}
	rows, err := f.rows()
	if err != nil {
		return store.Revision{}, err
	}
	before := s.Head().Revision.Number
	r, err := s.store.Commit(ctx, store.Revision{At: time.Now(), Author: author, Reason: reason}, rows)
	if err != nil || r.Number == before {
		return s.Head().Revision, err
	}
	s.put(r, a)
	s.log.Info("revision committed", "revision", r.Number, "author", author, "reason", reason)
	return r, nil
}

// FirstToken makes the first token and returns it, the only time that it is
// seen; "" where there is one already.
func (s *Service) FirstToken(ctx context.Context) (string, error) {
	token, err := s.store.FirstToken(ctx, "first", time.Now())
	if err != nil || token == "" {
		return "", err
	}
	s.keys, err = s.store.Tokens(ctx)
	return token, err
}

// Opens says whether a token opens the service.
func (s *Service) Opens(token string) bool { return s.keys.Opens(token) }

// SignIn gives out a session for a token that opens the service.
func (s *Service) SignIn(ctx context.Context, token string) (string, error) {
	return s.store.BeginSession(ctx, token, time.Now().Add(SessionLength))
}

// Session says whether a session holds.
func (s *Service) Session(ctx context.Context, session string) (bool, error) {
	return s.store.Session(ctx, session, time.Now())
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, session string) error {
	return s.store.EndSession(ctx, session, time.Now())
}

// Ready says whether the service can answer.
func (s *Service) Ready(ctx context.Context) error { return s.store.Ping(ctx) }

// Revisions lists the newest revisions, the newest first.
func (s *Service) Revisions(ctx context.Context, limit int) ([]store.Revision, error) {
	return s.store.Revisions(ctx, limit)
}

// Close ends the use of the data folder.
func (s *Service) Close() error { return s.store.Close() }

package changeset

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"gatemap/answer"
	"gatemap/core/change"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/stage"
	"gatemap/store"

	lru "github.com/hashicorp/golang-lru/v2"
)

// tried is a trial computed on one head. It is not changed.
type tried struct {
	head    *query.Head
	version int
	changes []stage.Signed // with what they take the place of, as it is on the head
	folder  *content.Folder
	draft   *stage.Draft
	trial   *change.Trial
	answers query.Answers
	err     error // why it cannot be made on this head
	outcomes
}

// maxTried is how many trials are kept computed, and maxTold of how many is kept what they
// are.
const (
	maxTried = 16
	maxTold  = 4096
)

// Bench computes trials, on what is in force, and keeps what it computed.
type Bench struct {
	Ports
	room  chan struct{}                      // for heavy work (atWork)
	tried *lru.Cache[string, *tried]         // trials, computed, by name
	told  *lru.Cache[trialOn, *answer.Trial] // what trials are
}

// Forget lets what was computed go: it keeps in memory what was in force before.
func (s *Bench) Forget() { s.tried.Purge() }

// kept finds a trial in the store.
func (s *Bench) kept(ctx context.Context, named string) (*store.Trial, error) {
	t, ok, err := s.Keeper.Trial(ctx, named)
	if err != nil {
		return nil, err
	}
	if !ok {
		all, err := s.Keeper.TrialsAfter(ctx, "")
		if err != nil {
			return nil, err
		}
		return nil, &directory.NotFoundError{
			Kind: "trial",
			Name: named,
			Near: name.Near(named, func(yield func(string) bool) {
				for i := range all {
					if !yield(all[i].Name) {
						return
					}
				}
			}),
		}
	}
	return &t, nil
}

// touched finds a trial that someone may see, change and remove.
func (s *Bench) touched(ctx context.Context, by operator.Actor, named string) (*store.Trial, error) {
	t, err := s.kept(ctx, named)
	if err != nil {
		return nil, err
	}
	return t, mayTouch(by, t)
}

// work works a trial out on the head, unless that has been done.
func (s *Bench) work(t *store.Trial) *tried {
	head, key := s.History.Head(), name.Fold(t.Name)
	if w, known := s.tried.Get(key); known && w.head == head && w.version == t.Version {
		return w
	}
	w := &tried{head: head, version: t.Version}
	if err := json.Unmarshal(t.Changes, &w.changes); err != nil {
		w.err = fmt.Errorf("the staged changes cannot be read: %w", err)
		return w
	}
	s.try(context.Background(), w) // others wait for it, too
	s.tried.Add(key, w)
	return w
}

// standing finds a trial that can be made on the head, computed. The error is a
// *directory.NotFoundError, or an *answer.ConflictError that says what is in its way.
func (s *Bench) standing(ctx context.Context, named string) (*store.Trial, *tried, error) {
	t, err := s.kept(ctx, named)
	if err != nil {
		return nil, nil, err
	}
	w := s.work(t)
	if w.err != nil {
		return nil, nil, notNow(w.err)
	}
	return t, w, nil
}

// try makes the changes of a trial on its head, when there is room for it.
func (s *Bench) try(ctx context.Context, w *tried) {
	if err := s.atWork(ctx, w.try); err != nil {
		w.err = err
	}
}

// atWork does work that may take as much memory as the map. Only some is done at once;
// the rest waits, as long as who asks does. The error is that of the context.
func (s *Bench) atWork(ctx context.Context, work func()) error {
	select {
	case s.room <- struct{}{}:
		defer func() { <-s.room }()
		work()
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// try makes the changes of a trial on its head.
func (w *tried) try() {
	w.draft = stage.NewDraft(w.head.Folder.Base(w.head.Atlas))
	for i := range w.changes {
		if err := w.draft.Apply(&w.changes[i].Change); err != nil {
			var e *stage.Error
			if errors.As(err, &e) {
				e.Number = i + 1
			}
			w.err = err
			return
		}
	}
	if len(w.changes) == 0 {
		w.folder, w.trial, w.answers = w.head.Folder, change.None(w.head.Atlas), w.head.Answers
		return
	}
	if w.folder, w.err = w.head.Folder.Edited(w.draft); w.err != nil {
		return
	}
	if w.trial, w.err = change.Try(w.head.Atlas, w.head.Folder.Map, w.folder.Map); w.err == nil {
		w.answers = query.From(w.trial.Atlas)
	}
}

// Asked is what a question is asked of: the revision in force, or a trial.
func (s *Bench) Asked(ctx context.Context, trial string) (query.Answers, error) {
	h, err := s.AskedHead(ctx, trial)
	if err != nil {
		return query.Answers{}, err
	}
	return h.Answers, nil
}

// AskedHead is Asked, with what is written. A trial bears the revision on which it
// was computed. Whoever acts in the context must be allowed to see it.
func (s *Bench) AskedHead(ctx context.Context, trial string) (*query.Head, error) {
	if trial == "" {
		return s.History.Head(), nil
	}
	t, w, err := s.standing(ctx, trial)
	if err == nil {
		err = mayTouch(operator.From(ctx), t)
	}
	if err != nil {
		return nil, err
	}
	return w.asHead(), nil
}

// asHead is the map with the trial in the place of a revision in force.
func (w *tried) asHead() *query.Head {
	return &query.Head{Revision: w.head.Revision, Folder: w.folder, Answers: w.answers}
}

package changeset

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/events"
	"gatemap/service/rights"
	"gatemap/stage"
	"gatemap/store"
)

// Committing is how a trial is to be committed.
type Committing struct {
	Version  int    // of the trial, as whoever commits it saw it
	Reason   string // why, for those who read the history
	Override string // why, though it brings an error or breaks a guarantee; "": not then
	Key      string // by which the same commit is known when it is asked for again
}

// again is what a commit by the same key has answered; nil: there was none.
func (s *Commits) again(ctx context.Context, named, key string) (*answer.Committed, error) {
	if key == "" {
		return nil, nil
	}
	r, done, err := s.Past.RevisionByKey(ctx, key)
	if err != nil || !done {
		return nil, err
	}
	if !name.Equal(r.Trial, named) {
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf("this key committed the trial %s as revision %d; take another key", r.Trial, r.Number),
		}
	}
	return &answer.Committed{Revision: r.Number, Again: true, Overrides: r.Overrides}, nil
}

// Commit makes a trial the newest revision. Where the map has moved since the
// trial was staged, in what it does not touch, it is recomputed on what is in
// force now. The error is an *answer.ConflictError that says what keeps it, an
// *operator.ForbiddenError, an *answer.MovedError where there is a newer version, or an
// *answer.UnseenError where none is named.
func (s *Commits) Commit(
	ctx context.Context, by operator.Actor, named string, c Committing,
) (*answer.Committed, error) {
	if strings.TrimSpace(c.Reason) == "" {
		return nil, answer.Invalid("reason", "", "a commit needs a reason")
	}
	s.History.Lock()
	defer s.History.Unlock()
	key := ""
	if c.Key != "" {
		key = by.Name + " " + c.Key
	}
	if done, err := s.again(ctx, named, key); done != nil || err != nil {
		return done, err
	}
	if c.Version == 0 {
		return nil, &answer.UnseenError{Message: "a commit is of the version that you have seen: " +
			"send the ETag of the trial in If-Match"}
	}
	t, err := s.bench.kept(ctx, named)
	if err != nil {
		return nil, err
	}
	if c.Version != t.Version {
		return nil, movedTrial(t)
	}
	w := s.bench.work(t)
	if w.err != nil {
		return nil, notNow(s.whoMoved(ctx, t, w.err))
	}
	if len(w.changes) == 0 {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("nothing is staged in the trial %s", t.Name)}
	}
	if err := s.Rights.MayCommit(ctx, by, w.begun()...); err != nil {
		return nil, err
	}
	if err := s.Rights.MayConnect(ctx, by, w.head.Folder, w.folder); err != nil {
		return nil, err
	}
	r := store.Revision{Reason: c.Reason, Trial: t.Name, TrialVersion: t.Version, Reverts: t.Reverts, Key: key}
	r, passwords, err := s.commitTried(ctx, by, w, r, c.Override)
	if errors.Is(err, store.ErrTrialMoved) {
		if t, err = s.bench.kept(ctx, named); err == nil {
			err = movedTrial(t)
		}
	}
	if err != nil {
		return nil, err
	}
	s.Events.Tell(events.Event{Trial: t.Name})
	return &answer.Committed{
		Revision: r.Number, Rebased: t.Base != w.head.Revision.Number, Overrides: r.Overrides, Passwords: passwords,
	}, nil
}

// begun says who staged which change.
func (w *tried) begun() (all []rights.Begun) {
	for i, c := range w.changes {
		all = append(all, rights.Begun{By: c.By, Did: fmt.Sprintf("staged change %d of this trial", i+1)})
	}
	return all
}

// commitTried makes a trial that is computed on the head the newest revision; r says
// why and from where. It gives back the first passwords of the accounts that were made for it. The
// caller has locked the history.
func (s *Commits) commitTried(
	ctx context.Context, by operator.Actor, w *tried, r store.Revision, override string,
) (store.Revision, []answer.FirstPassword, error) {
	overrides, err := s.overridden(by, w, strings.TrimSpace(override))
	if err != nil {
		return r, nil, err
	}
	put, gone, err := w.head.Folder.RowsOf(w.draft)
	if err != nil {
		return r, nil, err
	}
	if len(put)+len(gone) == 0 {
		return r, nil, &answer.ConflictError{Message: "the changes cancel each other out: there is nothing to commit"}
	}
	if r.Changes, err = json.Marshal(w.changes); err != nil {
		return r, nil, err
	}
	r.At, r.Author, r.Origin, r.Overrides = time.Now(), by.Name, by.Origin, overrides
	ctx = context.WithoutCancel(ctx) // it is done even when the caller has gone: half of it must not be
	if s.Writes == nil {
		r, err = s.History.Amend(ctx, r, put, gone, w.folder, w.trial.Atlas)
		return r, nil, err
	}
	written, err := s.Writes.Make(ctx, by, w.head.Folder, w.folder)
	if err != nil {
		return r, nil, err
	}
	defer written.Close()
	r.Writes = written.IDs()
	made, err := s.History.Amend(ctx, r, put, gone, w.folder, w.trial.Atlas)
	if err != nil {
		written.Back(ctx)
		return made, nil, err
	}
	return made, written.Passwords(), nil
}

// Looked is what the commit of a trial would write where records come from. The error is a
// *directory.NotFoundError, or an *answer.ConflictError that says what keeps it from being written.
func (s *Commits) Looked(ctx context.Context, by operator.Actor, named string) (*answer.Writes, error) {
	t, w, err := s.bench.standing(ctx, named)
	if err == nil {
		err = mayTouch(by, t)
	}
	if err != nil {
		return nil, err
	}
	looked, err := s.Writes.Look(ctx, w.head.Folder, w.folder)
	if err == nil {
		looked.Trial = t.Name
	}
	return looked, err
}

// whoMoved adds to what keeps a trial who changed the map since it was staged.
func (s *Commits) whoMoved(ctx context.Context, t *store.Trial, err error) error {
	var e *stage.Error
	if !errors.As(err, &e) || !e.Moved {
		return err
	}
	list, failed := s.Past.Revisions(ctx, 0, s.History.Head().Revision.Number-t.Base)
	if failed != nil || len(list) == 0 {
		return err
	}
	var since []string
	for _, r := range list {
		since = append(since, fmt.Sprintf("revision %d by %s (%s)", r.Number, r.Author, r.Reason))
		if len(since) == 5 {
			break
		}
	}
	return fmt.Errorf("%w. Since it was staged on revision %d there were %s", err, t.Base, strings.Join(since, ", "))
}

// overridden sees that a trial brings no error and breaks no guarantee, or that
// someone who may overrides that; it says what was overridden.
func (s *Commits) overridden(by operator.Actor, w *tried, why string) (string, error) {
	var stops []string
	for _, f := range w.trial.Written().Errors() {
		stops = append(stops, fmt.Sprintf("it brings the error %s: %s", f.Code, f.Message))
	}
	for _, g := range w.guarantees().Broken {
		stops = append(stops, fmt.Sprintf("it breaks the guarantee %s", g))
	}
	switch {
	case len(stops) == 0:
		return "", nil
	case why == "":
		return "", &answer.ConflictError{Message: strings.TrimRight(strings.Join(stops, "; "),
			".?") + ". Fix it, or let an approver override it with a reason."}
	}
	if err := by.May(operator.Override); err != nil {
		return "", err
	}
	return fmt.Sprintf("%s, because: %s (%s)", by.Name, why, strings.Join(stops, "; ")), nil
}

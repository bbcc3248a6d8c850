package changeset

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/events"
	"gatemap/stage"
	"gatemap/store"
)

// trialName is what a trial may be called: it stands in addresses.
var trialName = regexp.MustCompile(`^[a-zA-Z0-9][a-zA-Z0-9._-]{0,63}$`)

// Begin begins a trial. The error is an *answer.InvalidError where the name cannot be
// used, and an *answer.ConflictError where it is taken.
func (s *Trials) Begin(ctx context.Context, by operator.Actor, named, note string) (*answer.Trial, error) {
	return s.create(ctx, by, &store.Trial{Name: named, Note: note}, nil)
}

func (s *Trials) create(
	ctx context.Context,
	by operator.Actor,
	t *store.Trial,
	changes []stage.Signed,
) (*answer.Trial, error) {
	if !trialName.MatchString(t.Name) {
		return nil, answer.Invalid(
			"name",
			t.Name,
			"a trial's name has letters, digits, dots, dashes and underscores, at most 64 of them, "+
				"and begins with a letter or a digit",
		)
	}
	raw, err := json.Marshal(changes)
	if err != nil {
		return nil, err
	}
	t.Author, t.Created, t.Base, t.Changes = by.Name, time.Now(), s.History.Head().Revision.Number, raw
	if err := s.Keeper.CreateTrial(ctx, t, audit.Of(by, "trial", t.Name, audit.Done, "begun")); errors.Is(
		err,
		store.ErrTaken,
	) {
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf("there is a trial %s already; take another name, or remove that one", t.Name),
		}
	} else if err != nil {
		return nil, err
	}
	s.Events.Tell(events.Event{Trial: t.Name})
	return s.Find(ctx, by, t.Name)
}

// List lists the open trials by name; a limit of 0 is all. The cursor is the name of
// the last trial on the page before. Trials that someone may not see are left out.
func (s *Trials) List(ctx context.Context, by operator.Actor, limit int, cursor string) (*answer.Trials, error) {
	list, err := s.Keeper.TrialsAfter(ctx, cursor)
	if err != nil {
		return nil, err
	}
	list = slices.DeleteFunc(list, func(t store.Trial) bool { return mayTouch(by, &t) != nil })
	all := &answer.Trials{Trials: []answer.Trial{}}
	if limit > 0 && len(list) > limit {
		list = list[:limit]
		all.Next = list[limit-1].Name
	}
	for i := range list {
		t, err := s.bench.describe(&list[i])
		if err != nil {
			return nil, err
		}
		all.Trials = append(all.Trials, *t)
	}
	return all, nil
}

// Find is one trial. The error is a *directory.NotFoundError or an
// *operator.ForbiddenError.
func (s *Trials) Find(ctx context.Context, by operator.Actor, named string) (*answer.Trial, error) {
	t, err := s.bench.touched(ctx, by, named)
	if err != nil {
		return nil, err
	}
	return s.bench.describe(t)
}

// Stage adds changes to a version of a trial; version 0 is whichever there is. It
// is all of them or none. The error is an *answer.InvalidError that says which change
// cannot be made and why.
func (s *Trials) Stage(
	ctx context.Context,
	by operator.Actor,
	named string,
	version int,
	changes []stage.Change,
) (*answer.Trial, error) {
	if len(changes) == 0 {
		return nil, answer.Invalid("changes", "", "name at least one change")
	}
	return s.restage(ctx, by, named, version, func(w *tried) (did string, err error) {
		before := len(w.changes)
		for _, c := range changes {
			c.Was, c.Beside = nil, nil
			if err := mayStage(by, &c); err != nil {
				return "", err
			}
			w.changes = append(w.changes, stage.Signed{Change: c, By: by.Name})
		}
		s.bench.try(ctx, w)
		at := len(changes) - 1
		var e *stage.Error
		if errors.As(w.err, &e) {
			if e.Number <= before {
				return "", notNow(w.err)
			}
			at = e.Number - before - 1
			e.Number = 0
		}
		if w.err != nil {
			return "", badChange(at, len(changes), w.err)
		}
		if err := s.Rights.MayConnect(ctx, by, w.head.Folder, w.folder); err != nil {
			return "", err
		}
		var sentences []string
		for i := range w.changes[before:] {
			sentences = append(sentences, w.changes[before+i].Sentence())
		}
		return strings.Join(sentences, " "), nil
	})
}

// Unstage takes one change out of a trial, by its number from 1.
func (s *Trials) Unstage(
	ctx context.Context,
	by operator.Actor,
	named string,
	version, number int,
) (*answer.Trial, error) {
	return s.restage(ctx, by, named, version, func(w *tried) (did string, err error) {
		if number < 1 || number > len(w.changes) {
			return "", answer.Invalid("number", fmt.Sprint(number), fmt.Sprintf("the trial has %d changes", len(w.changes)))
		}
		did = "unstaged: " + w.changes[number-1].Sentence()
		w.changes = slices.Delete(w.changes, number-1, number)
		if s.bench.try(ctx, w); w.err != nil {
			return "", &answer.ConflictError{Message: "without that change another cannot be made: " + w.err.Error()}
		}
		return did, nil
	})
}

// restage gives a trial other changes, which work makes of those that it has, and
// tries.
func (s *Trials) restage(
	ctx context.Context,
	by operator.Actor,
	named string,
	version int,
	work func(*tried) (did string, err error),
) (*answer.Trial, error) {
	t, err := s.bench.touched(ctx, by, named)
	if err != nil {
		return nil, err
	}
	if version > 0 && version != t.Version {
		return nil, movedTrial(t)
	}
	w := &tried{head: s.History.Head()}
	if err := json.Unmarshal(t.Changes, &w.changes); err != nil {
		return nil, err
	}
	did, err := work(w)
	if err != nil {
		return nil, err
	}
	if t.Changes, err = json.Marshal(w.changes); err != nil {
		return nil, err
	}
	t.Base = w.head.Revision.Number
	if err := s.Keeper.UpdateTrial(ctx, t, audit.Of(by, "stage", t.Name, audit.Done, did)); errors.Is(
		err,
		store.ErrMoved,
	) {
		return nil, movedTrial(t)
	} else if err != nil {
		return nil, err
	}
	w.version = t.Version
	s.bench.tried.Add(name.Fold(t.Name), w)
	s.Events.Tell(events.Event{Trial: t.Name})
	return s.bench.describe(t)
}

// Remove lets a version of a trial go; version 0 is whichever there is.
func (s *Trials) Remove(ctx context.Context, by operator.Actor, named string, version int) error {
	t, err := s.bench.touched(ctx, by, named)
	if err != nil {
		return err
	}
	if version == 0 {
		version = t.Version
	}
	if err := s.Keeper.RemoveTrial(ctx, t.Name, version, audit.Of(by, "trial", t.Name, audit.Done, "removed")); errors.Is(
		err,
		store.ErrMoved,
	) {
		return movedTrial(t)
	} else if err != nil {
		return err
	}
	s.bench.tried.Remove(name.Fold(t.Name))
	s.Events.Tell(events.Event{Trial: t.Name})
	return nil
}

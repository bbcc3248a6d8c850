package service

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
	"gatemap/stage"
	"gatemap/store"
)

// staged is a staged change with who staged it, as it is kept.
type staged struct {
	stage.Change
	By string `json:"by"`
}

// trialName is what a trial may be called: it stands in addresses.
var trialName = regexp.MustCompile(`^[a-zA-Z0-9][a-zA-Z0-9._-]{0,63}$`)

// BeginTrial begins a trial. The error is an *answer.Problem where the name cannot be
// used, and an *answer.ConflictError where it is taken.
func (s *Service) BeginTrial(ctx context.Context, by operator.Actor, named, note string) (*answer.Trial, error) {
	return s.createTrial(ctx, by, &store.Trial{Name: named, Note: note}, nil)
}

func (s *Service) createTrial(ctx context.Context, by operator.Actor, t *store.Trial, changes []staged) (*answer.Trial, error) {
	if !trialName.MatchString(t.Name) {
		return nil, answer.Invalid("name", t.Name, "a trial's name has letters, digits, dots, dashes and underscores, at most 64 of them, and begins with a letter or a digit")
	}
	raw, err := json.Marshal(changes)
	if err != nil {
		return nil, err
	}
	t.Author, t.Created, t.Base, t.Changes = by.Name, time.Now(), s.Head().Revision.Number, raw
	if err := s.store.CreateTrial(ctx, t, auditOf(by, "trial", t.Name, done, "begun")); errors.Is(err, store.ErrTaken) {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("there is a trial %s already; take another name, or remove that one", t.Name)}
	} else if err != nil {
		return nil, err
	}
	s.events.tell(Event{Trial: t.Name})
	return s.Trial(ctx, by, t.Name)
}

// Trials lists the open trials by name; a limit of 0 is all. The cursor is the name of
// the last trial on the page before. Trials that someone may not see are left out.
func (s *Service) Trials(ctx context.Context, by operator.Actor, limit int, cursor string) (*answer.Trials, error) {
	list, err := s.store.TrialsAfter(ctx, cursor)
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
		t, err := s.describe(&list[i])
		if err != nil {
			return nil, err
		}
		all.Trials = append(all.Trials, *t)
	}
	return all, nil
}

// Trial is one trial. The error is a *directory.NotFoundError or an
// *operator.ForbiddenError.
func (s *Service) Trial(ctx context.Context, by operator.Actor, named string) (*answer.Trial, error) {
	t, err := s.touched(ctx, by, named)
	if err != nil {
		return nil, err
	}
	return s.describe(t)
}

// Stage adds changes to a version of a trial; version 0 is whichever there is. It
// is all of them or none. The error is an *answer.Problem that says which change
// cannot be made and why.
func (s *Service) Stage(ctx context.Context, by operator.Actor, named string, version int, changes []stage.Change) (*answer.Trial, error) {
	return s.restage(ctx, by, named, version, func(w *tried) (did string, err error) {
		before := len(w.changes)
		for _, c := range changes {
			c.Was, c.Beside = nil, nil
			if err := mayStage(by, &c); err != nil {
				return "", err
			}
			w.changes = append(w.changes, staged{c, by.Name})
		}
		s.try(ctx, w)
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
		if err := s.mayConnect(ctx, by, w.head.Folder, w.folder); err != nil {
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
func (s *Service) Unstage(ctx context.Context, by operator.Actor, named string, version, number int) (*answer.Trial, error) {
	return s.restage(ctx, by, named, version, func(w *tried) (did string, err error) {
		if number < 1 || number > len(w.changes) {
			return "", answer.Invalid("number", fmt.Sprint(number), fmt.Sprintf("the trial has %d changes", len(w.changes)))
		}
		did = "unstaged: " + w.changes[number-1].Sentence()
		w.changes = slices.Delete(w.changes, number-1, number)
		if s.try(ctx, w); w.err != nil {
			return "", &answer.ConflictError{Message: "without that change another cannot be made: " + w.err.Error()}
		}
		return did, nil
	})
}

// restage gives a trial other changes, which work makes of those that it has, and
// tries.
func (s *Service) restage(ctx context.Context, by operator.Actor, named string, version int, work func(*tried) (did string, err error)) (*answer.Trial, error) {
	t, err := s.touched(ctx, by, named)
	if err != nil {
		return nil, err
	}
	if version > 0 && version != t.Version {
		return nil, movedTrial(t)
	}
	w := &tried{head: s.Head()}
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
	if err := s.store.UpdateTrial(ctx, t, auditOf(by, "stage", t.Name, done, did)); errors.Is(err, store.ErrMoved) {
		return nil, movedTrial(t)
	} else if err != nil {
		return nil, err
	}
	w.version = t.Version
	s.tried.Add(name.Fold(t.Name), w)
	s.events.tell(Event{Trial: t.Name})
	return s.describe(t)
}

// RemoveTrial lets a version of a trial go; version 0 is whichever there is.
func (s *Service) RemoveTrial(ctx context.Context, by operator.Actor, named string, version int) error {
	t, err := s.touched(ctx, by, named)
	if err != nil {
		return err
	}
	if version == 0 {
		version = t.Version
	}
	if err := s.store.RemoveTrial(ctx, t.Name, version, auditOf(by, "trial", t.Name, done, "removed")); errors.Is(err, store.ErrMoved) {
		return movedTrial(t)
	} else if err != nil {
		return err
	}
	s.tried.Remove(name.Fold(t.Name))
	s.events.tell(Event{Trial: t.Name})
	return nil
}

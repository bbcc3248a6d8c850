package service

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/core/change"
	"gatemap/core/directory"
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

// tried is a trial computed on one head. It is not changed.
type tried struct {
	head    *Head
	version int
	changes []staged // with what they take the place of, as it is on the head
	folder  *Folder
	draft   *stage.Draft
	trial   *change.Trial
	answers Answers
	err     error // why it cannot be made on this head
	outcomes
}

// maxTried is how many trials are kept computed, and maxTold of how many is kept what they
// are.
const (
	maxTried = 16
	maxTold  = 4096
)

// trialName is what a trial may be called: it stands in addresses.
var trialName = regexp.MustCompile(`^[a-zA-Z0-9][a-zA-Z0-9._-]{0,63}$`)

// BeginTrial begins a trial. The error is an *answer.Problem where the name cannot be
// used, and an *answer.ConflictError where it is taken.
func (s *Service) BeginTrial(ctx context.Context, by operator.Actor, named, note string) (*answer.Trial, error) {
	return s.createTrial(ctx, by, &store.Trial{Name: named, Note: note}, nil)
}

func (s *Service) createTrial(ctx context.Context, by operator.Actor, t *store.Trial, changes []staged) (*answer.Trial, error) {
	if !trialName.MatchString(t.Name) {
		return nil, badField("name", t.Name, "a trial's name has letters, digits, dots, dashes and underscores, at most 64 of them, and begins with a letter or a digit")
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

// kept finds a trial in the store.
func (s *Service) kept(ctx context.Context, named string) (*store.Trial, error) {
	t, ok, err := s.store.Trial(ctx, named)
	if err != nil {
		return nil, err
	}
	if !ok {
		all, err := s.store.TrialsAfter(ctx, "")
		if err != nil {
			return nil, err
		}
		return nil, &directory.NotFoundError{Kind: "trial", Name: named, Near: name.Near(named, func(yield func(string) bool) {
			for i := range all {
				if !yield(all[i].Name) {
					return
				}
			}
		})}
	}
	return &t, nil
}

// touched finds a trial that someone may see, change and remove.
func (s *Service) touched(ctx context.Context, by operator.Actor, named string) (*store.Trial, error) {
	t, err := s.kept(ctx, named)
	if err != nil {
		return nil, err
	}
	return t, mayTouch(by, t)
}

// trialOn is a version of a trial on a revision.
type trialOn struct {
	name              string // folded
	version, revision int
}

// describe says what a trial is, on the head. That is kept for many more trials than can be
// kept computed.
func (s *Service) describe(t *store.Trial) (*answer.Trial, error) {
	of := trialOn{name.Fold(t.Name), t.Version, s.Head().Revision.Number}
	if d, known := s.told.Get(of); known {
		return new(*d), nil
	}
	w := s.work(t)
	of.revision = w.head.Revision.Number
	d := &answer.Trial{
		Name: t.Name, Note: t.Note, Author: t.Author, Created: t.Created, Base: t.Base, Version: t.Version, Reverts: t.Reverts,
		Changes: []answer.Staged{}, Applies: w.err == nil,
	}
	for _, c := range w.changes {
		d.Changes = append(d.Changes, answer.Staged{Sentence: c.Sentence(), By: c.By, Change: c.Change})
	}
	if w.err != nil {
		d.Obstacle = w.err.Error()
	} else {
		d.Notices = w.notices()
	}
	s.told.Add(of, new(*d))
	return d, nil
}

// notices says what is worth knowing before a trial is committed.
func (w *tried) notices() (notices []string) {
	var sourced []string
	for _, d := range w.head.Folder.written.Map.Directories {
		if len(w.draft.Touched[d.Name]) > 0 && d.Source != nil {
			sourced = append(sourced, d.Name)
		}
	}
	if sourced != nil {
		notices = append(notices, fmt.Sprintf("Records of %s come from a source: make the change there too, or the next intake restores what the source has.", strings.Join(sourced, " and ")))
	}
	book := w.head.Atlas.Book
	for _, c := range w.changes {
		if c.Do == stage.SetUser && len(c.Value) > 0 && !book.HasAttribute(c.Attribute) && !name.Equal(c.Attribute, "expires") {
			notices = append(notices, fmt.Sprintf("No user has the attribute %s so far%s", c.Attribute, cmp.Or(name.DidYouMean(name.Near(c.Attribute, book.AttributeNames())), ".")))
		}
	}
	return notices
}

// work works a trial out on the head, unless that has been done.
func (s *Service) work(t *store.Trial) *tried {
	head, key := s.Head(), name.Fold(t.Name)
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
func (s *Service) standing(ctx context.Context, named string) (*store.Trial, *tried, error) {
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
func (s *Service) try(ctx context.Context, w *tried) {
	if err := s.atWork(ctx, w.try); err != nil {
		w.err = err
	}
}

// atWork does work that may take as much memory as the map. Only some is done at once;
// the rest waits, as long as who asks does. The error is that of the context.
func (s *Service) atWork(ctx context.Context, work func()) error {
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
	w.draft = stage.NewDraft(w.head.base())
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
	if w.folder, w.err = w.head.Folder.edited(w.draft); w.err != nil {
		return
	}
	if w.trial, w.err = change.Try(w.head.Atlas, w.head.Folder.Map, w.folder.Map); w.err == nil {
		w.answers = From(w.trial.Atlas)
	}
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
			return "", badField("number", fmt.Sprint(number), fmt.Sprintf("the trial has %d changes", len(w.changes)))
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

// Asked is what a question is asked of: the revision in force, or a trial.
func (s *Service) Asked(ctx context.Context, trial string) (Answers, error) {
	h, err := s.AskedHead(ctx, trial)
	if err != nil {
		return Answers{}, err
	}
	return h.Answers, nil
}

// AskedHead is Asked, with what is written. A trial bears the revision on which it
// was computed. Whoever acts in the context must be allowed to see it.
func (s *Service) AskedHead(ctx context.Context, trial string) (*Head, error) {
	if trial == "" {
		return s.Head(), nil
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
func (w *tried) asHead() *Head {
	return &Head{Revision: w.head.Revision, Folder: w.folder, Answers: w.answers}
}

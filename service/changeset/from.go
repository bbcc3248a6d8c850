package changeset

import (
	"context"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/query"
	"gatemap/stage"
	"gatemap/store"
)

// BeginFrom makes a trial of the differences between the files of a folder and the
// map in force. What sources bring in is left out: that comes by intake.
func (s *Trials) BeginFrom(
	ctx context.Context,
	by operator.Actor,
	named, note string,
	files map[string]string,
) (*answer.Trial, error) {
	changes, err := s.History.Head().Folder.Files.Differing(files)
	if err != nil {
		return nil, err
	}
	return s.BeginWith(ctx, by, named, note, changes, func(*query.Head) error { return nil })
}

// BeginWith makes a trial of changes that hold together: of them all, or none where one
// cannot be made, or where what the map then answers is not right.
func (s *Trials) BeginWith(
	ctx context.Context, by operator.Actor, named, note string, changes []stage.Change, right func(*query.Head) error,
) (*answer.Trial, error) {
	if len(changes) == 0 {
		return nil, &answer.ConflictError{Message: "nothing differs from the map in force: there is nothing to stage"}
	}
	head := s.History.Head()
	w := &tried{head: head}
	for _, c := range changes {
		if err := mayStage(by, &c); err != nil {
			return nil, err
		}
		w.changes = append(w.changes, stage.Signed{Change: c, By: by.Name})
	}
	if s.bench.try(ctx, w); w.err != nil {
		return nil, badChange(0, 1, w.err)
	}
	if err := right(&query.Head{Folder: w.folder, Answers: w.answers}); err != nil {
		return nil, err
	}
	if err := s.Rights.MayConnect(ctx, by, head.Folder, w.folder); err != nil {
		return nil, err
	}
	return s.create(ctx, by, &store.Trial{Name: named, Note: note}, w.changes)
}

// Adopt takes in a trial that was kept elsewhere, as it was staged there.
func (s *Trials) Adopt(ctx context.Context, by operator.Actor, t *answer.Trial) error {
	var changes []stage.Signed
	for _, c := range t.Changes {
		changes = append(changes, stage.Signed{Change: c.Change, By: c.By})
	}
	_, err := s.create(ctx, by, &store.Trial{Name: t.Name, Note: t.Note, Version: t.Version}, changes)
	return err
}

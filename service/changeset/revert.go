package changeset

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/mapfile"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/stage"
	"gatemap/store"
)

// maxRestored is how many records and documents a revert can put back; what is
// more came in by an intake, and goes by one.
const maxRestored = 5000

// Revert begins a trial that reverts a revision, to be tried and committed like any
// other. The error says what has been changed again since.
func (s *Commits) Revert(ctx context.Context, by operator.Actor, number int, named string) (*answer.Trial, error) {
	r, ok, err := s.Past.Revision(ctx, number)
	if err != nil {
		return nil, err
	}
	if !ok {
		return nil, &directory.NotFoundError{Kind: "revision", Name: fmt.Sprint(number)}
	}
	if number == 1 {
		return nil, &answer.ConflictError{Message: "revision 1 is the first: there is nothing to go back to"}
	}
	turns, err := s.Past.Turned(ctx, number, maxRestored+1)
	if err != nil {
		return nil, err
	}
	if len(turns) > maxRestored {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("revision %d changed more than %d records: run the intake of the directory instead", number, maxRestored)}
	}
	w := &tried{head: s.History.Head()}
	for _, t := range turns {
		w.changes = append(w.changes, stage.Signed{Change: restoring(w.head.Folder, t), By: by.Name})
	}
	if s.bench.try(ctx, w); w.err != nil {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("revision %d cannot be reverted, because what it changed was changed again: %v", number, w.err)}
	}
	if err := s.Rights.MayConnect(ctx, by, w.head.Folder, w.folder); err != nil {
		return nil, err
	}
	if named == "" {
		named = fmt.Sprintf("revert-%d", number)
	}
	note := fmt.Sprintf("Reverts revision %d by %s: %s", number, r.Author, r.Reason)
	return s.trials.create(ctx, by, &store.Trial{Name: named, Note: note, Reverts: number}, w.changes)
}

// restoring is the change that reverts a turn. Other lines of a document that were changed
// since stay as they are.
func restoring(f *content.Folder, t store.Turn) stage.Change {
	if t.Key.Path != "" {
		i := slices.IndexFunc(f.Files, func(x mapfile.File) bool { return x.Path == t.Key.Path })
		if i >= 0 && t.Before != nil && t.After != nil {
			if merged, ok := stage.Merge(t.After, t.Before, f.Files[i].Content); ok {
				t.Before, t.After = merged, f.Files[i].Content
			}
		}
		return stage.RestoreDocument(t.Key.Path, t.Before, t.After, func(content []byte) []byte {
			text, err := json.Marshal(string(content))
			if err != nil {
				panic(err) // a text can be written
			}
			return text
		})
	}
	return stage.RestoreRecord(t.Key.Directory, connect.Named{Kind: content.Kinds[t.Key.Kind], Name: t.Key.Name}, t.Before, t.After)
}

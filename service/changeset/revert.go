package changeset

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
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
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf(
				"revision %d changed more than %d records: run the intake of the directory instead",
				number,
				maxRestored,
			),
		}
	}
	w := &tried{head: s.History.Head()}
	made, err := accountsMade(r)
	if err != nil {
		return nil, err
	}
	for _, t := range turns {
		if c, left := restoring(w.head.Folder, t, made); left {
			w.changes = append(w.changes, stage.Signed{Change: c, By: by.Name})
		}
	}
	if s.bench.try(ctx, w); w.err != nil {
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf("revision %d cannot be reverted, because what it changed was changed again: %v", number, w.err),
		}
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

// restoring is the change that reverts a turn; left is false where nothing is left of it. Other lines
// of a document that were changed since stay as they are. An account that was made at a directory server
// is switched off there: nothing deletes it, so that the next run would bring it back.
func restoring(f *content.Folder, t store.Turn, made map[string]bool) (c stage.Change, left bool) {
	full := name.Full(t.Key.Directory, t.Key.Name)
	if t.Key.Kind == connect.User.String() && made[name.Fold(full)] && switches(f, t.Key.Directory) {
		u := userOf(f, t.Key)
		return stage.Change{Do: stage.SwitchUser, User: full, Value: json.RawMessage(`"off"`)}, u != nil && u.IsActive()
	}
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
		}), true
	}
	n := connect.Named{Kind: content.Kinds[t.Key.Kind], Name: t.Key.Name}
	return stage.RestoreRecord(t.Key.Directory, n, t.Before, t.After), true
}

// accountsMade are the accounts that the changes of a revision made, by folded full name.
func accountsMade(r store.Revision) (map[string]bool, error) {
	var changes []stage.Signed
	if len(r.Changes) > 0 {
		if err := json.Unmarshal(r.Changes, &changes); err != nil {
			return nil, err
		}
	}
	made := map[string]bool{}
	for _, c := range changes {
		if c.Do == stage.CreateUser {
			made[name.Fold(c.User)] = true
		}
	}
	return made, nil
}

// switches says whether accounts of a directory are made and switched at a server.
func switches(f *content.Folder, named string) bool {
	d := f.Directory(named)
	return d != nil && d.Source != nil && slices.Contains(d.Source.Write, directory.WriteUsers) &&
		slices.Contains(d.Source.Write, directory.WriteActive)
}

// userOf is the record of a user as it is now; nil if it is gone.
func userOf(f *content.Folder, key store.Key) *directory.User {
	for _, u := range f.Records[key.Directory].Users {
		if u.Name == key.Name {
			return u
		}
	}
	return nil
}

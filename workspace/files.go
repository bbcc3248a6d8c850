package workspace

import (
	"context"
	"errors"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/mapfile"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/store"
)

// files are the files of a folder, which are what is in force, and its trials.
type files struct {
	sync.Mutex
	dir  string
	head *query.Head
}

// Head is what the files say.
func (f *files) Head() *query.Head { return f.head }

// Amend writes the files that differ, and lets the trial go that they come of. The error is an
// *answer.ConflictError where a file was changed since it was read, or where what differs is
// not in a file of the map, and store.ErrTrialMoved where the trial has another version.
func (f *files) Amend(
	ctx context.Context,
	r store.Revision,
	put []store.Pending,
	gone []store.Key,
	next *content.Folder,
	a *atlas.Atlas,
) (store.Revision, error) {
	inFile := func(k store.Key) bool { return k.Path != "" }
	if slices.ContainsFunc(put, func(p store.Pending) bool { return !inFile(p.Key) }) ||
		slices.ContainsFunc(gone, func(k store.Key) bool { return !inFile(k) }) {
		return r, &answer.ConflictError{
			Message: "the trial changes what sources of the folder hold, which is not written: " +
				"change it there, or commit the trial into a service",
		}
	}
	err := f.locked(ctx, func() error {
		if err := f.asRead(); err != nil {
			return err
		}
		s, err := f.read()
		if err != nil {
			return err
		}
		i := s.find(r.Trial)
		if i < 0 || s.Trials[i].Version != r.TrialVersion {
			return store.ErrTrialMoved
		}
		if err := f.replace(put, gone); err != nil {
			return err
		}
		s.Trials = slices.Delete(s.Trials, i, i+1)
		return f.write(s)
	})
	if err != nil {
		return r, err
	}
	r.Number = f.head.Revision.Number + 1
	f.head = query.HeadOf(next, a)
	f.head.Revision = r
	return r, nil
}

// asRead sees that the files are what they were when they were read.
func (f *files) asRead() error {
	folder, err := connect.OpenFolder(f.dir)
	if err != nil {
		return err
	}
	now, err := mapfile.Files(folder)
	if err != nil {
		return err
	}
	was := f.head.Documents()
	for _, file := range now {
		if content, known := was[file.Path]; !known || content != string(file.Content) {
			return changedSince(file.Path)
		}
		delete(was, file.Path)
	}
	for _, path := range slices.Sorted(maps.Keys(was)) {
		return changedSince(path)
	}
	return nil
}

func changedSince(path string) error {
	return &answer.ConflictError{
		Message: path + " was changed while the trial was computed: look at the outcome again, then commit",
	}
}

// replace writes files and removes others. All are written before the first takes its place.
func (f *files) replace(put []store.Pending, gone []store.Key) error {
	at := func(path string) string { return filepath.Join(f.dir, filepath.FromSlash(path)) }
	fresh := make([]string, len(put))
	defer func() {
		for _, file := range fresh {
			_ = os.Remove(file) // it is there only where something failed
		}
	}()
	for i, p := range put {
		body, err := p.Body()
		if err != nil {
			return err
		}
		if err := os.MkdirAll(filepath.Dir(at(p.Key.Path)), 0o755); err != nil {
			return err
		}
		if fresh[i], err = prepare(at(p.Key.Path), body); err != nil {
			return err
		}
	}
	for i, p := range put {
		if err := os.Rename(fresh[i], at(p.Key.Path)); err != nil {
			return err
		}
	}
	for _, k := range gone {
		if err := os.Remove(at(k.Path)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// prepare writes a file beside the one whose place it is to take, and gives its name.
func prepare(at string, content []byte) (fresh string, err error) {
	file, err := os.CreateTemp(filepath.Dir(at), ".gatemap-")
	if err != nil {
		return "", err
	}
	_, err = file.Write(content)
	if err = errors.Join(err, file.Chmod(0o644), file.Sync(), file.Close()); err != nil {
		_ = os.Remove(file.Name())
		return "", err
	}
	return file.Name(), nil
}

// noPast is that of a folder: only what is in force is there.
type noPast struct{}

func (noPast) Revision(context.Context, int) (r store.Revision, known bool, err error) { return }
func (noPast) RevisionByKey(context.Context, string) (r store.Revision, known bool, err error) {
	return
}
func (noPast) Revisions(context.Context, int, int) ([]store.Revision, error) { return nil, nil }
func (noPast) Turned(context.Context, int, int) ([]store.Turn, error)        { return nil, nil }

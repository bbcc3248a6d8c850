package workspace

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/gofrs/flock"

	"gatemap/answer"
	"gatemap/core/name"
	"gatemap/store"
)

// trialsFile keeps the trials of a map folder. Files that begin with a dot are no part of the
// map. lockFile is locked while the trials, or the files of the map, are written.
const (
	trialsFile = ".gatemap-trials.json"
	lockFile   = ".gatemap-lock"
)

// lockWait is how long a command waits for another one on the same folder.
const lockWait = 10 * time.Second

// state is what the file of trials holds.
type state struct {
	Trials []kept `json:"trials"`
}

// kept is a trial as the file of trials keeps it.
type kept struct {
	Name    string          `json:"name"`
	Note    string          `json:"note,omitempty"`
	Author  string          `json:"author"`
	Created time.Time       `json:"created"`
	Base    int             `json:"base"`
	Version int             `json:"version"`
	Changes json.RawMessage `json:"changes"`
}

func (k *kept) trial() store.Trial {
	return store.Trial{
		Name:    k.Name,
		Note:    k.Note,
		Author:  k.Author,
		Created: k.Created,
		Base:    k.Base,
		Version: k.Version,
		Changes: k.Changes,
	}
}

func keptOf(t *store.Trial) kept {
	return kept{
		Name:    t.Name,
		Note:    t.Note,
		Author:  t.Author,
		Created: t.Created,
		Base:    t.Base,
		Version: t.Version,
		Changes: t.Changes,
	}
}

// TrialsIn lists the trials of a folder, by name, without what they do on its map.
func TrialsIn(dir string) ([]answer.Trial, error) {
	s, err := (&files{dir: dir}).read()
	if err != nil {
		return nil, err
	}
	list := make([]answer.Trial, len(s.Trials))
	for i, k := range s.Trials {
		list[i] = answer.Trial{
			Name:    k.Name,
			Note:    k.Note,
			Author:  k.Author,
			Created: k.Created,
			Base:    k.Base,
			Version: k.Version,
		}
	}
	return list, nil
}

// locked does work while no other command writes in the folder.
func (f *files) locked(ctx context.Context, work func() error) error {
	lock := flock.New(
		filepath.Join(f.dir, lockFile),
		flock.SetPermissions(0o644),
	) // others who may write the folder lock it, too
	wait, cancel := context.WithTimeout(ctx, lockWait)
	defer cancel()
	if _, err := lock.TryLockContext(wait, 20*time.Millisecond); err != nil {
		if ctx.Err() == nil && errors.Is(err, context.DeadlineExceeded) {
			return &answer.ConflictError{
				Message: fmt.Sprintf(
					"another command has worked on the folder %s for %s; try again when it is done",
					f.dir,
					lockWait,
				),
			}
		}
		return fmt.Errorf("the folder %s cannot be locked: %w", f.dir, err)
	}
	defer func() { _ = lock.Unlock() }() // the end of the process does it, too
	return work()
}

// read reads the trials, by name.
func (f *files) read() (s state, err error) {
	raw, err := os.ReadFile(filepath.Join(f.dir, trialsFile))
	if errors.Is(err, fs.ErrNotExist) {
		return s, nil
	}
	if err != nil {
		return s, err
	}
	if err := json.Unmarshal(raw, &s); err != nil {
		return s, fmt.Errorf("%s cannot be read: %w", filepath.Join(f.dir, trialsFile), err)
	}
	slices.SortFunc(s.Trials, func(a, b kept) int { return strings.Compare(name.Fold(a.Name), name.Fold(b.Name)) })
	return s, nil
}

// write writes the trials; without any the file goes.
func (f *files) write(s state) error {
	file := filepath.Join(f.dir, trialsFile)
	if len(s.Trials) == 0 {
		if err := os.Remove(file); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		return nil
	}
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	if err := e.Encode(s); err != nil {
		return err
	}
	fresh, err := prepare(file, b.Bytes())
	if err != nil {
		return err
	}
	return os.Rename(fresh, file)
}

// change changes the trials of the file.
func (f *files) change(ctx context.Context, work func(*state) error) error {
	return f.locked(ctx, func() error {
		s, err := f.read()
		if err == nil {
			err = work(&s)
		}
		if err != nil {
			return err
		}
		return f.write(s)
	})
}

func (s *state) find(named string) int {
	return slices.IndexFunc(s.Trials, func(k kept) bool { return name.Equal(k.Name, named) })
}

// Trial finds a trial; known is false if there is none by this name.
func (f *files) Trial(_ context.Context, named string) (t store.Trial, known bool, err error) {
	s, err := f.read()
	if err != nil {
		return t, false, err
	}
	i := s.find(named)
	if i < 0 {
		return t, false, nil
	}
	return s.Trials[i].trial(), true, nil
}

// TrialsAfter lists the trials whose names come after one, by name.
func (f *files) TrialsAfter(_ context.Context, named string) (list []store.Trial, err error) {
	s, err := f.read()
	for i := range s.Trials {
		if name.Fold(s.Trials[i].Name) > name.Fold(named) {
			list = append(list, s.Trials[i].trial())
		}
	}
	return list, err
}

// CreateTrial begins a trial. The error is store.ErrTaken where its name is.
func (f *files) CreateTrial(ctx context.Context, t *store.Trial, _ store.Entry) error {
	return f.change(ctx, func(s *state) error {
		if s.find(t.Name) >= 0 {
			return store.ErrTaken
		}
		t.Version = max(t.Version, 1)
		s.Trials = append(s.Trials, keptOf(t))
		return nil
	})
}

// UpdateTrial writes a trial in the place of the version before. The error is store.ErrMoved
// where that one is not there.
func (f *files) UpdateTrial(ctx context.Context, t *store.Trial, _ store.Entry) error {
	return f.change(ctx, func(s *state) error {
		i := s.find(t.Name)
		if i < 0 || s.Trials[i].Version != t.Version {
			return store.ErrMoved
		}
		t.Version++
		s.Trials[i] = keptOf(t)
		return nil
	})
}

// RemoveTrial lets a version of a trial go. The error is store.ErrMoved where it is not there.
func (f *files) RemoveTrial(ctx context.Context, named string, version int, _ store.Entry) error {
	return f.change(ctx, func(s *state) error {
		i := s.find(named)
		if i < 0 || s.Trials[i].Version != version {
			return store.ErrMoved
		}
		s.Trials = slices.Delete(s.Trials, i, i+1)
		return nil
	})
}

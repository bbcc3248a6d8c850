package intake

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/store"
)

// Commit makes a folder the newest revision, where it differs from the
// one in force. What the sources of live directories brought in stays, and so does what
// the guards hold of what files of the folder bring: it waits as a run. A folder that
// cannot be compiled changes nothing.
func (s *Folders) Commit(ctx context.Context, f *content.Folder, author, reason string) (store.Revision, error) {
	s.History.Lock()
	defer s.History.Unlock()
	head := s.History.Head()
	var held []func() error
	for _, d := range f.Written.Map.Directories {
		was, known := head.Folder.Records[d.Name]
		if !known || d.Source == nil {
			continue
		}
		now := f.Records[d.Name]
		if !d.Source.Connection.Live && heldBy(head, d, now) == "" {
			continue
		}
		f = f.With(d.Name, was)
		if !d.Source.Connection.Live {
			held = append(held, func() error { return s.hold(ctx, d.Name, now) })
		}
	}
	a, err := f.Compile("the folder")
	if err != nil {
		return store.Revision{}, err
	}
	rows, err := f.Rows()
	if err != nil {
		return store.Revision{}, err
	}
	exempt, err := s.Rights.Exempt(ctx, "a folder on the host")
	if err != nil {
		return store.Revision{}, err
	}
	r, err := s.History.Replace(
		ctx,
		store.Revision{At: time.Now(), Author: author, Reason: reason, Exempt: exempt},
		rows,
		f,
		a,
	)
	if err != nil {
		return r, err
	}
	for _, hold := range held {
		err = errors.Join(err, hold())
	}
	return r, err
}

const settingFolder = "folder"

// Take makes a map folder the newest revision, unless that would undo what was
// committed since its files came from the map; insist takes it all the same. A folder that
// was not changed itself stays as it is, and so does the map. The error may be a
// *FolderMovedError, which is an entry of the audit.
func (s *Folders) Take(ctx context.Context, path, author string, insist bool) error {
	f, err := content.ReadFolder(path)
	if err != nil {
		return err
	}
	head := s.History.Head()
	here, there := digest(f.Files), digest(head.Folder.Files)
	origin, kept, err := s.origin(ctx, path)
	if err != nil {
		return err
	}
	reason := "read from " + path
	switch {
	case head.Revision.Number == 0, here == there:
	case insist:
		reason += fmt.Sprintf(", in the place of revision %d", head.Revision.Number)
	case here == origin.Files:
		s.Log.Info("the folder was not changed; the map was, and stays", "folder", path, "revision", head.Revision.Number)
		return nil
	case there != origin.Files:
		moved := &FolderMovedError{path, origin.Revision, head.Revision.Number}
		by := operator.Actor{Name: "folder", Role: operator.Admin, How: "folder"}
		return errors.Join(
			moved,
			s.Audit.Note(ctx, by, "commit", path, audit.Refused, "the folder and the map were both changed"),
		)
	}
	r, err := s.Commit(ctx, f, author, reason)
	if err != nil {
		return err
	}
	origin = Origin{r.Number, here}
	raw, err := json.Marshal(origin)
	if err == nil {
		err = s.Store.Set(ctx, map[string]string{settingFolder: string(raw)})
	}
	if err == nil && kept {
		if failed := writeOrigin(path, origin); failed != nil {
			s.Log.Warn("the folder cannot note which revision it is; remove its "+OriginFile, "error", failed)
		}
	}
	return err
}

// heldBy says why the records that a folder brings for a directory are held; "" if they are
// not.
func heldBy(head *query.Head, d *directory.Document, now connect.Records) string {
	p := &prepared{directory: d, head: head, records: now}
	_, p.delta = connect.Settle(head.Folder.Records[d.Name], now)
	return heldAlone(p)
}

// hold lets the records that a folder brings for a directory wait until someone
// confirms them.
func (s *Folders) hold(ctx context.Context, named string, records connect.Records) error {
	l := s.runs.lanes.lane(named)
	if !l.try() {
		return busy(named)
	}
	defer l.busy.Unlock()
	r, err := s.runs.journal.begin(ctx, named, ByFolder, operator.Service)
	if err != nil {
		return err
	}
	ready, err := s.runs.plans.prepare(s.History.Head(), named, brought{records: records})
	if err == nil {
		err = s.runs.reconcile(ctx, l, r, ready, pass{Intaking: Intaking{By: operator.Service}, reason: intakeReason(r)})
	}
	if err != nil {
		s.runs.journal.fail(ctx, r, err)
		return err
	}
	s.Log.Warn("what the folder brings is held", "directory", named, "run", r.state.ID, "reason", r.snapshot().Held)
	return nil
}

// origin is where the files of a folder came from: as the folder says itself, or else
// as it was when a folder was taken last.
func (s *Folders) origin(ctx context.Context, path string) (o Origin, kept bool, err error) {
	raw, err := os.ReadFile(filepath.Join(path, OriginFile))
	switch {
	case err == nil:
		if err := json.Unmarshal(raw, &o); err != nil {
			return o, true, fmt.Errorf("%s cannot be read: %w", filepath.Join(path, OriginFile), err)
		}
		return o, true, nil
	case !errors.Is(err, fs.ErrNotExist):
		return o, false, err
	}
	text, err := s.Store.Setting(ctx, settingFolder)
	if err == nil && text != "" {
		err = json.Unmarshal([]byte(text), &o)
	}
	return o, false, err
}

package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/mapfile"
	"gatemap/operator"
)

// Origin says which revision the files of a map folder came from.
type Origin struct {
	Revision int    `json:"revision"`
	Files    string `json:"files"` // their digest then
}

// OriginFile keeps the origin in a folder that was exported. Files that begin with a dot
// are no part of a map.
const OriginFile = ".gatemap-revision"

// digest is the same for the same files.
func digest(files []mapfile.File) string {
	files = slices.Clone(files)
	slices.SortFunc(files, func(a, b mapfile.File) int { return strings.Compare(a.Path, b.Path) })
	h := sha256.New()
	for _, f := range files {
		fmt.Fprintf(h, "%d %s %d ", len(f.Path), f.Path, len(f.Content))
		_, _ = h.Write(f.Content) // never fails (hash.Hash)
	}
	return hex.EncodeToString(h.Sum(nil))
}

// WriteOrigin notes in a folder that its files are those of a revision.
func WriteOrigin(folder string, revision int, files map[string]string) error {
	var list []mapfile.File
	for path, content := range files {
		list = append(list, mapfile.File{Path: path, Content: []byte(content)})
	}
	return writeOrigin(folder, Origin{revision, digest(list)})
}

func writeOrigin(folder string, o Origin) error {
	raw, err := json.Marshal(o)
	if err == nil {
		err = os.WriteFile(filepath.Join(folder, OriginFile), append(raw, '\n'), 0o644)
	}
	return err
}

// FolderMovedError says that the files of a folder were changed, and the map, too, since
// it was the same as they.
type FolderMovedError struct {
	Folder string
	Since  int // the revision that the files came from; 0: not known
	Head   int
}

func (e *FolderMovedError) Error() string {
	since := fmt.Sprintf("since revision %d, from which its files came, both they and the map were changed", e.Since)
	if e.Since == 0 {
		since = "its files differ from the map, and it is not known which revision they came from"
	}
	return fmt.Sprintf(`nothing was taken from the folder %s: %s; revision %d stays in force.
To bring the changes of the folder in:  gatemap trial from %s
To have the map in the folder:          gatemap export %s
To put the folder in the place of the map, start with --take-folder`, e.Folder, since, e.Head, e.Folder, e.Folder)
}

const settingFolder = "folder"

// TakeFolder makes a map folder the newest revision, unless that would undo what was
// committed since its files came from the map; insist takes it all the same. A folder that
// was not changed itself stays as it is, and so does the map. The error may be a
// *FolderMovedError, which is an entry of the audit.
func (s *Service) TakeFolder(ctx context.Context, path, author string, insist bool) error {
	f, err := ReadFolder(path)
	if err != nil {
		return err
	}
	head := s.Head()
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
		s.log.Info("the folder was not changed; the map was, and stays", "folder", path, "revision", head.Revision.Number)
		return nil
	case there != origin.Files:
		moved := &FolderMovedError{path, origin.Revision, head.Revision.Number}
		by := operator.Actor{Name: "folder", Role: operator.Admin, How: "folder"}
		return errors.Join(moved, s.note(ctx, by, "commit", path, refused, "the folder and the map were both changed"))
	}
	r, err := s.CommitFolder(ctx, f, author, reason)
	if err != nil {
		return err
	}
	origin = Origin{r.Number, here}
	raw, err := json.Marshal(origin)
	if err == nil {
		err = s.store.Set(ctx, map[string]string{settingFolder: string(raw)})
	}
	if err == nil && kept {
		if failed := writeOrigin(path, origin); failed != nil {
			s.log.Warn("the folder cannot note which revision it is; remove its "+OriginFile, "error", failed)
		}
	}
	return err
}

// heldBy says why the records that a folder brings for a directory are held; "" if they are
// not.
func heldBy(head *Head, d *directory.Document, now connect.Records) string {
	p := &prepared{directory: d, head: head, records: now}
	_, p.delta = connect.Settle(head.Folder.Records[d.Name], now)
	return p.held()
}

// holdFolder lets the records that a folder brings for a directory wait until someone
// confirms them.
func (s *Service) holdFolder(ctx context.Context, named string, records connect.Records) error {
	l := s.lane(named)
	if !l.try() {
		return busy(named)
	}
	defer l.busy.Unlock()
	r, err := s.begin(ctx, named, ByFolder, operator.Service)
	if err != nil {
		return err
	}
	ready, err := s.prepare(s.Head(), named, records)
	if err == nil {
		err = s.reconcile(ctx, l, r, ready, pass{Intaking: Intaking{By: operator.Service}, reason: intakeReason(r)})
	}
	if err != nil {
		s.fail(ctx, r, err)
		return err
	}
	s.log.Warn("what the folder brings is held", "directory", named, "run", r.state.ID, "reason", r.snapshot().Held)
	return nil
}

// origin is where the files of a folder came from: as the folder says itself, or else
// as it was when a folder was taken last.
func (s *Service) origin(ctx context.Context, path string) (o Origin, kept bool, err error) {
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
	text, err := s.store.Setting(ctx, settingFolder)
	if err == nil && text != "" {
		err = json.Unmarshal([]byte(text), &o)
	}
	return o, false, err
}

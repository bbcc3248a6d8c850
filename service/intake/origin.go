package intake

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"gatemap/mapfile"
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

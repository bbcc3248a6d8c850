package content

import (
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/place"
	"gatemap/mapfile"
)

// Entry is an entry of a list of a file.
type Entry struct {
	List   string
	Number int
	Value  []byte // as JSON
}

// Files are the files of a folder, as they are written.
type Files []mapfile.File

// Text is a file, opened; false if there is none.
func (f Files) Text(path string) (*mapfile.Text, bool) {
	i := slices.IndexFunc(f, func(x mapfile.File) bool { return x.Path == path })
	if i < 0 {
		return nil, false
	}
	text, err := mapfile.OpenText(f[i])
	return text, err == nil // it was read when the map was
}

// Entries are the entries of the lists of a file, by where they begin.
func (f Files) Entries(path string) map[place.Place]Entry {
	found := map[place.Place]Entry{}
	text, ok := f.Text(path)
	if !ok {
		return found
	}
	for e := range text.Entries {
		if value, err := mapfile.JSON(text.Flow(e.At)); err == nil {
			found[place.Place{File: path, Line: e.Line, Column: e.Column}] = Entry{strings.Join(e.List, " > "), e.Number, value}
		}
	}
	return found
}

// Lines are the entries that the lines of a system are, by the names of lines.
func (f Files) Lines(s *atlas.System) map[string]Entry {
	at, lines := f.Entries(s.Document.Place.File), map[string]Entry{}
	for named, place := range s.Site.Places {
		if e, ok := at[place]; ok {
			lines[named] = e
		}
	}
	return lines
}

// Document is what is written of a system, as JSON; nil if it cannot be found.
func (f Files) Document(s *atlas.System) []byte {
	text, ok := f.Text(s.Document.Place.File)
	if !ok {
		return nil
	}
	at, ok := text.Document("system", s.Name())
	if !ok {
		return nil
	}
	value, err := mapfile.JSON(text.Flow(at))
	if err != nil {
		return nil
	}
	return value
}

// Package service holds the use cases: reading a map with its sources,
// keeping its revisions, and answering questions about the newest one.
package service

import (
	"fmt"
	"io/fs"
	"os"

	"gatemap/connect"
	"gatemap/connect/ldif"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate/types"
	"gatemap/core/place"
	"gatemap/mapfile"
)

// Folder is a map folder as it was read: the files, and what the sources that
// they name brought in, by the name of the directory.
type Folder struct {
	Files   []mapfile.File
	Records map[string]connect.Records
	Map     *atlas.Map
}

// LoadError says that a map cannot be loaded, and from where.
type LoadError struct {
	From string
	Err  error
}

func (e *LoadError) Error() string {
	return fmt.Sprintf("cannot load the map in %s:\n%v", e.From, e.Err)
}
func (e *LoadError) Unwrap() error { return e.Err }

// ReadFolder reads a map folder and fetches its sources. The error is a
// *LoadError.
func ReadFolder(path string) (*Folder, error) {
	if info, err := os.Stat(path); err != nil {
		return nil, &LoadError{path, fmt.Errorf("the folder cannot be read: %w", err)}
	} else if !info.IsDir() {
		return nil, &LoadError{path, fmt.Errorf("this is a file, not a folder")}
	}
	f, err := ReadFS(os.DirFS(path))
	if err != nil {
		return nil, &LoadError{path, err}
	}
	return f, nil
}

// ReadFS is ReadFolder for any file system.
func ReadFS(folder fs.FS) (*Folder, error) {
	files, err := mapfile.Files(folder)
	if err != nil {
		return nil, err
	}
	m, err := mapfile.Parse(files, types.Table)
	if err != nil {
		return nil, err
	}
	f := &Folder{Files: files, Records: map[string]connect.Records{}, Map: m}
	var errs place.Errors
	for _, d := range m.Directories {
		if d.Source != nil {
			records := fetch(folder, d.Source, &errs)
			f.Records[d.Name] = records
			add(d, records)
		}
	}
	return f, errs.Err()
}

// fetch brings in the records of one source.
func fetch(folder fs.FS, s *directory.Source, errs *place.Errors) connect.Records {
	if s.LDIF == nil {
		errs.Addf(s.Place, "the source says no place to read from: it needs the key ldif")
		return connect.Records{}
	}
	in, err := folder.Open(s.LDIF.Value)
	if err != nil {
		errs.Addf(s.LDIF.Place, "ldif: %v; the path is taken from the map folder and stays in it", err)
		return connect.Records{}
	}
	defer in.Close()
	entries := ldif.Read(in, s.LDIF.Value, errs)
	return connect.Apply(s, entries, errs)
}

func add(d *directory.Document, r connect.Records) {
	d.Users = append(d.Users, r.Users...)
	d.Groups = append(d.Groups, r.Groups...)
	d.Devices = append(d.Devices, r.Devices...)
}

// Compile makes an atlas of the folder. The error is a *LoadError.
func (f *Folder) Compile(from string) (*atlas.Atlas, error) {
	a, err := atlas.Compile(f.Map)
	if err != nil {
		return nil, &LoadError{from, err}
	}
	return a, nil
}

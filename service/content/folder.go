// Package content is what a map consists of: the files that were written, the records that
// their sources brought in, and both put together. It reads, and keeps nothing.
package content

import (
	"context"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"slices"

	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/mapfile"
)

// Folder is a map folder as it was read: the files, and what the sources that
// they name brought in, by the name of the directory. It is not changed once it
// is whole.
type Folder struct {
	Files   Files
	Records map[string]connect.Records
	// Map is what the files say together with what the sources brought in.
	Map *atlas.Map

	Written *mapfile.Reading         // what the files say alone
	feeds   map[string]*connect.Feed // by the name of the directory that feeds
	Alone   map[string][]*directory.User
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

// ReadFolder reads a map folder with what stands in files of it. The error is a
// *LoadError.
func ReadFolder(path string) (*Folder, error) { return ReadWithout(path, "") }

// ReadWithout is ReadFolder without the source of one directory.
func ReadWithout(path, without string) (*Folder, error) {
	if info, err := os.Stat(path); err != nil {
		return nil, &LoadError{path, fmt.Errorf("the folder cannot be read: %w", err)}
	} else if !info.IsDir() {
		return nil, &LoadError{path, fmt.Errorf("this is a file, not a folder")}
	}
	folder, err := connect.OpenFolder(path)
	if err != nil {
		return nil, &LoadError{path, err}
	}
	f, err := readFS(folder, without)
	if err != nil {
		return nil, &LoadError{path, err}
	}
	return f, nil
}

// ReadFS is ReadFolder for any file system.
func ReadFS(folder fs.FS) (*Folder, error) { return readFS(folder, "") }

func readFS(folder fs.FS, without string) (*Folder, error) {
	f := &Folder{Records: map[string]connect.Records{}}
	var err error
	if f.Files, err = mapfile.Files(folder); err != nil {
		return nil, err
	}
	if f.Written, err = mapfile.Read(f.Files, types.Table, connectors.Kinds()); err != nil {
		return nil, err
	}
	var errs place.Errors
	for _, d := range f.Written.Map.Directories {
		if d.Source == nil || d.Source.Connection.Live || name.Equal(d.Name, without) {
			continue
		}
		records, _, err := Bring(context.Background(), connect.Host{Files: folder}, d.Source, func(int) {})
		if err != nil {
			errs.Add(d.Source.Place, err)
			continue
		}
		if connect.Of(d.Source).Connector().Strict {
			for _, r := range records.Rejected {
				errs.Addf(r.Place, "%s", r.Message)
			}
		}
		f.Records[d.Name] = records
	}
	f.Assemble()
	return f, errs.Err()
}

// Fetch brings in what directory servers hold. What the map names on the host is read
// there. The error is a *LoadError.
func (f *Folder) Fetch(ctx context.Context, host connect.Host, from string) error {
	fetched := false
	for _, d := range f.Written.Map.Directories {
		if from := connect.Of(d.Source); from == nil || from.Connector().From != connect.Server {
			continue
		}
		records, _, err := Bring(ctx, host, d.Source, func(int) {})
		if err != nil {
			return &LoadError{from, fmt.Errorf("directory %s: %w", d.Name, err)}
		}
		f.Records[d.Name], fetched = records, true
	}
	if fetched {
		f.Assemble()
	}
	return nil
}

// Directory is the document of a directory as it is written; nil if there is
// none.
func (f *Folder) Directory(named string) *directory.Document {
	i := slices.IndexFunc(f.Written.Map.Directories, func(d *directory.Document) bool { return name.Equal(d.Name, named) })
	if i < 0 {
		return nil
	}
	return f.Written.Map.Directories[i]
}

// Missing says that there is no such directory, and which are near.
func (f *Folder) Missing(named string) error {
	return &directory.NotFoundError{Kind: "directory", Name: named, Near: name.Near(named, func(yield func(string) bool) {
		for _, d := range f.Written.Map.Directories {
			if !yield(d.Name) {
				return
			}
		}
	})}
}

// With is the folder with other records of one directory.
func (f *Folder) With(named string, r connect.Records) *Folder {
	next := *f
	next.Records = maps.Clone(f.Records)
	next.Records[named] = r
	next.Assemble()
	return &next
}

// Plus is the folder with the document of a directory that it does not have.
func (f *Folder) Plus(d *directory.Document) *Folder {
	next, written, m := *f, *f.Written, *f.Written.Map
	m.Directories = append(slices.Clip(m.Directories), d)
	written.Map, next.Written = &m, &written
	next.Assemble()
	return &next
}

// Assemble puts what the files say and what the sources brought in together.
func (f *Folder) Assemble() {
	m := *f.Written.Map
	m.Directories = make([]*directory.Document, len(f.Written.Map.Directories))
	feeds := map[string]*connect.Feed{}
	f.Alone = map[string][]*directory.User{}
	for i, written := range f.Written.Map.Directories {
		d := *written
		m.Directories[i] = &d
		r := f.Records[d.Name]
		if d.Source == nil || d.Source.Feeds == nil {
			d.Users = slices.Concat(d.Users, r.Users)
		}
		d.Groups, d.Devices = slices.Concat(d.Groups, r.Groups), slices.Concat(d.Devices, r.Devices)
	}
	for _, d := range m.Directories {
		if d.Source == nil || d.Source.Feeds == nil {
			continue
		}
		i := slices.IndexFunc(m.Directories, func(x *directory.Document) bool {
			return name.Equal(x.Name, d.Source.Feeds.Directory.Name)
		})
		if i < 0 {
			continue // the compile says so
		}
		feed := f.feeds[d.Name]
		if feed == nil || !feed.Follows(d.Source.Feeds) {
			feed = connect.NewFeed(d.Source.Feeds)
		}
		feeds[d.Name], m.Directories[i].Users, f.Alone[d.Name] = feed.Over(m.Directories[i].Users, f.Records[d.Name].Users)
	}
	f.Map, f.feeds = &m, feeds
}

// Compile makes an atlas of the folder. The error is a *LoadError.
func (f *Folder) Compile(from string) (*atlas.Atlas, error) {
	a, err := atlas.Compile(f.Map)
	if err != nil {
		return nil, &LoadError{from, err}
	}
	return a, nil
}

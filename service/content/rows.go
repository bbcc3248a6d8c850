package content

import (
	"maps"
	"runtime"

	"golang.org/x/sync/errgroup"

	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/gate/types"
	"gatemap/mapfile"
	"gatemap/store"
)

// Rows turns a folder into the rows of a revision.
func (f *Folder) Rows() ([]store.Row, error) {
	var rows []store.Row
	for _, file := range f.Files {
		rows = append(rows, store.Row{Key: store.Key{Path: file.Path}, Body: file.Content})
	}
	for dir, records := range f.Records {
		put := func(kind connect.Kind, named string, r Record) error {
			r.Resource = records.Resources[connect.Named{Kind: kind, Name: named}]
			row, err := r.Row(dir, kind.String(), named)
			rows = append(rows, row)
			return err
		}
		for _, u := range records.Users {
			if err := put(connect.User, u.Name, FromUser(u)); err != nil {
				return nil, err
			}
		}
		for _, g := range records.Groups {
			if err := put(connect.Group, g.Name, FromGroup(g)); err != nil {
				return nil, err
			}
		}
		for _, d := range records.Devices {
			if err := put(connect.Device, d.Name, FromDevice(d)); err != nil {
				return nil, err
			}
		}
	}
	return rows, nil
}

// batch is how many records are read at a time.
const batch = 1024

// FromRows gives back the folder that the rows were made of: each hands them to
// visit, documents first. Documents and records are read while more come in.
func FromRows(each func(visit func(store.Row) error) error) (*Folder, error) {
	f := &Folder{Records: map[string]connect.Records{}}
	var work errgroup.Group
	work.SetLimit(runtime.GOMAXPROCS(0) + 1)
	var read []map[string]connect.Records
	var rows []store.Row
	start := func() {
		some, into := rows, map[string]connect.Records{}
		rows, read = nil, append(read, into)
		work.Go(func() error {
			for _, row := range some {
				if err := Take(into, row); err != nil {
					return err
				}
			}
			return nil
		})
	}
	parse := func() (err error) {
		f.Written, err = mapfile.Read(f.Files, types.Table, connectors.Kinds())
		return err
	}
	parsing := false
	err := each(func(row store.Row) error {
		if row.Key.Path != "" {
			f.Files = append(f.Files, mapfile.File{Path: row.Key.Path, Content: row.Body})
			return nil
		}
		if !parsing {
			parsing = true
			work.Go(parse)
		}
		if rows = append(rows, row); len(rows) == batch {
			start()
		}
		return nil
	})
	start()
	if !parsing {
		work.Go(parse)
	}
	if readErr := work.Wait(); err == nil {
		err = readErr
	}
	if err != nil {
		return nil, err
	}
	for _, some := range read {
		f.add(some)
	}
	f.Assemble()
	return f, nil
}

// add adds records to those that directories have.
func (f *Folder) add(some map[string]connect.Records) {
	for dir, r := range some {
		all := f.Records[dir]
		if all.Resources == nil {
			all.Resources = r.Resources
		} else {
			maps.Copy(all.Resources, r.Resources)
		}
		all.Users, all.Groups, all.Devices = append(
			all.Users,
			r.Users...), append(
			all.Groups,
			r.Groups...), append(
			all.Devices,
			r.Devices...)
		f.Records[dir] = all
	}
}

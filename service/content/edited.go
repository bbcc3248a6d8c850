package content

import (
	"bytes"

	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/stage"
	"gatemap/store"
)

// Base is what changes are made to: the folder, of which an atlas was compiled.
func (f *Folder) Base(a *atlas.Atlas) stage.Base {
	return stage.Base{Files: f.Files, Records: f.Records, Map: f.Map, Book: a.Book, Codec: rowCodec{}}
}

// Changed is the folder, of which an atlas was compiled, with changes. The error is
// about the first that cannot be made.
func (f *Folder) Changed(a *atlas.Atlas, changes []stage.Change) (*Folder, error) {
	d := stage.NewDraft(f.Base(a))
	if err := d.ApplyAll(changes); err != nil {
		return nil, err
	}
	return f.Edited(d)
}

// Edited is the folder with what a draft changed in it.
func (f *Folder) Edited(d *stage.Draft) (*Folder, error) {
	next := *f
	next.Files, next.Records = d.Files, d.Records
	var err error
	if next.Written, err = f.Written.With(d.Files); err != nil {
		return nil, err
	}
	next.Assemble()
	return &next, nil
}

// RowsOf are the rows in which a draft differs from the folder that it began with.
func (f *Folder) RowsOf(d *stage.Draft) (put []store.Pending, gone []store.Key, err error) {
	before := map[string][]byte{}
	for _, file := range f.Files {
		before[file.Path] = file.Content
	}
	for _, file := range d.Files {
		if old, known := before[file.Path]; !known || string(old) != string(file.Content) {
			put = append(
				put,
				store.Pending{Key: store.Key{Path: file.Path}, Body: func() ([]byte, error) { return file.Content, nil }},
			)
		}
		delete(before, file.Path)
	}
	for path := range before {
		gone = append(gone, store.Key{Path: path})
	}
	for dir, names := range d.Touched {
		was, is := apart(f.Records[dir], d.Records[dir])
		for n := range names {
			key := store.Key{Directory: dir, Kind: n.Kind.String(), Name: n.Name}
			body, err := rowCodec{}.Write(is, n)
			if err != nil {
				return nil, nil, err
			}
			old, err := rowCodec{}.Write(was, n)
			if err != nil {
				return nil, nil, err
			}
			switch {
			case bytes.Equal(old, body):
			case body == nil:
				gone = append(gone, key)
			default:
				put = append(put, store.Pending{Key: key, Body: func() ([]byte, error) { return body, nil }})
			}
		}
	}
	return put, gone, nil
}

// apart leaves out the records that two directories share.
func apart(a, b connect.Records) (was, is connect.Records) {
	was.Resources, is.Resources = a.Resources, b.Resources
	was.Users, is.Users = unshared(a.Users, b.Users)
	was.Groups, is.Groups = unshared(a.Groups, b.Groups)
	was.Devices, is.Devices = unshared(a.Devices, b.Devices)
	return was, is
}

func unshared[T any](a, b []*T) (was, is []*T) {
	if len(a) != len(b) {
		return a, b
	}
	for i := range a {
		if a[i] != b[i] {
			was, is = append(was, a[i]), append(is, b[i])
		}
	}
	return was, is
}

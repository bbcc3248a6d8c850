package service

import (
	"bytes"

	"gatemap/core/atlas"
	"gatemap/stage"
	"gatemap/store"
)

// base is what changes are made to.
func (h *Head) base() stage.Base { return h.Folder.base(h.Atlas) }

func (f *Folder) base(a *atlas.Atlas) stage.Base {
	return stage.Base{Files: f.Files, Records: f.Records, Map: f.Map, Book: a.Book, Codec: rowCodec{}}
}

// Changed is the folder, of which an atlas was compiled, with changes. The error is
// about the first that cannot be made.
func (f *Folder) Changed(a *atlas.Atlas, changes []stage.Change) (*Folder, error) {
	d := stage.NewDraft(f.base(a))
	if err := d.ApplyAll(changes); err != nil {
		return nil, err
	}
	return f.edited(d)
}

// edited is the folder with what a draft changed in it.
func (f *Folder) edited(d *stage.Draft) (*Folder, error) {
	next := *f
	next.Files, next.Records = d.Files, d.Records
	var err error
	if next.written, err = f.written.With(d.Files); err != nil {
		return nil, err
	}
	next.assemble()
	return &next, nil
}

// rows are the rows in which a draft differs from the folder that it began with.
func (f *Folder) rowsOf(d *stage.Draft) (put []store.Pending, gone []store.Key, err error) {
	before := map[string][]byte{}
	for _, file := range f.Files {
		before[file.Path] = file.Content
	}
	for _, file := range d.Files {
		if old, known := before[file.Path]; !known || string(old) != string(file.Content) {
			put = append(put, store.Pending{Key: store.Key{Path: file.Path}, Body: func() ([]byte, error) { return file.Content, nil }})
		}
		delete(before, file.Path)
	}
	for path := range before {
		gone = append(gone, store.Key{Path: path})
	}
	for dir, names := range d.Touched {
		for n := range names {
			key := store.Key{Directory: dir, Kind: n.Kind.String(), Name: n.Name}
			body, err := rowCodec{}.Write(d.Records[dir], n)
			if err != nil {
				return nil, nil, err
			}
			was, err := rowCodec{}.Write(f.Records[dir], n)
			if err != nil {
				return nil, nil, err
			}
			switch {
			case bytes.Equal(was, body):
			case body == nil:
				gone = append(gone, key)
			default:
				put = append(put, store.Pending{Key: key, Body: func() ([]byte, error) { return body, nil }})
			}
		}
	}
	return put, gone, nil
}

package stage

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/mapfile"
)

// Base is what changes are made to. It is not changed itself.
type Base struct {
	Files   []mapfile.File
	Records map[string]connect.Records // by the name of the directory
	Map     *atlas.Map
	Book    *directory.Book
	Codec   Codec
}

// Draft is a base with changes.
type Draft struct {
	Files   []mapfile.File
	Records map[string]connect.Records
	// Touched are the changed records, by directory.
	Touched map[string]map[connect.Named]bool
	// Passed are the lines or parts that the last one that moved has passed.
	Passed []string

	base  Base
	texts map[string]*mapfile.Text // opened, by path
	// fresh and gone are groups, by folded full name, that changes before made, with
	// their names, and took away.
	fresh map[string]string
	gone  map[string]bool
	// people are users that changes before made, likewise.
	people map[string]string
}

// NewDraft begins a draft.
func NewDraft(b Base) *Draft {
	return &Draft{
		Files: slices.Clone(b.Files), Records: maps.Clone(b.Records), Touched: map[string]map[connect.Named]bool{}, base: b,
		texts: map[string]*mapfile.Text{}, fresh: map[string]string{}, gone: map[string]bool{}, people: map[string]string{},
	}
}

// errMoved marks a reason that comes from the map having changed since the change
// was staged.
type errMoved struct{ error }

func moved(format string, args ...any) error { return errMoved{fmt.Errorf(format, args...)} }

// Apply makes one change, and notes in it what it takes the place of, or, where that
// is noted already, sees that it is still so. The error is an *Error, and then
// nothing has changed.
func (d *Draft) Apply(c *Change) error {
	err := c.check()
	if err == nil {
		switch c.Do {
		case Join, Leave:
			err = d.member(c)
		case SetUser:
			err = d.setUser(c)
		case CreateUser:
			err = d.createUser(c)
		case MoveUser:
			err = d.moveUser(c)
		case SwitchUser:
			err = d.switchUser(c)
		case CreateGroup:
			err = d.createGroup(c)
		case RenameGroup:
			err = d.renameGroup(c)
		case SetGroup:
			err = d.setGroup(c)
		case RemoveGroup:
			err = d.removeGroup(c)
		case AddLine, ChangeLine, MoveLine, RemoveLine, SwitchLine, AddPart, ChangePart, MovePart, RemovePart, SwitchPart:
			err = d.part(c)
		case WriteDocument, RemoveDocument:
			err = d.document(c)
		case Restore:
			err = d.restore(c)
		}
	}
	if err == nil {
		return nil
	}
	var m errMoved
	var missing *directory.NotFoundError
	if errors.As(err, &missing) && c.Was == nil {
		return err
	}
	return &Error{Change: *c, Reason: err.Error(), Moved: errors.As(err, &m)}
}

// ApplyAll makes changes one after the other.
func (d *Draft) ApplyAll(changes []Change) error {
	for i := range changes {
		if err := d.Apply(&changes[i]); err != nil {
			var e *Error
			if errors.As(err, &e) {
				e.Number = i + 1
			}
			return err
		}
	}
	return nil
}

// same notes what is replaced, or sees that it is what was noted.
func same(noted **string, is, what string) error {
	if *noted == nil {
		*noted = &is
		return nil
	}
	if **noted != is {
		return moved("%s is %s now; it was %s when this was staged", what, orNothing(is), orNothing(**noted))
	}
	return nil
}

func orNothing(s string) string {
	if s == "" {
		return "not there"
	}
	return s
}

// open opens a file for editing.
func (d *Draft) open(path string) (*mapfile.Text, error) {
	if t := d.texts[path]; t != nil {
		return t, nil
	}
	i := d.file(path)
	if i < 0 {
		return nil, fmt.Errorf("there is no file %s in the map", path)
	}
	t, err := mapfile.OpenText(d.Files[i])
	if err == nil {
		d.texts[path] = t
	}
	return t, err
}

func (d *Draft) file(path string) int {
	return slices.IndexFunc(d.Files, func(f mapfile.File) bool { return f.Path == path })
}

// put puts an edited file in its place.
func (d *Draft) put(t *mapfile.Text) {
	d.texts[t.File.Path] = t
	if i := d.file(t.File.Path); i >= 0 {
		d.Files[i] = t.File
	} else {
		d.Files = append(d.Files, t.File)
	}
}

// document writes a file of the map again, or drops it.
func (d *Draft) document(c *Change) error {
	if strings.HasPrefix(c.Document, "/") || strings.Contains(c.Document, "..") ||
		!strings.HasSuffix(c.Document, ".yaml") && !strings.HasSuffix(c.Document, ".yml") {
		return fmt.Errorf(
			"a document is a file of the map folder that ends in .yaml, such as systems/archive.yaml, not %q",
			c.Document,
		)
	}
	i := d.file(c.Document)
	is := ""
	if i >= 0 {
		is = sum(d.Files[i].Content)
	}
	if c.Do == RemoveDocument {
		switch {
		case i < 0 && c.Was != nil:
			return moved("the document %s is no longer there", c.Document)
		case i < 0:
			return &directory.NotFoundError{Kind: "document", Name: c.Document, Near: name.Near(c.Document, d.paths)}
		case c.Document == mapfile.Head:
			return fmt.Errorf("%s marks the map folder and cannot be removed", mapfile.Head)
		}
		if err := same(&c.Was, is, "the document "+c.Document); err != nil {
			return err
		}
		d.Files = slices.Delete(slices.Clone(d.Files), i, i+1)
		delete(d.texts, c.Document)
		return nil
	}
	text, err := c.text()
	if err != nil {
		return err
	}
	if err := same(&c.Was, is, "the document "+c.Document); err != nil {
		return err
	}
	t, err := mapfile.OpenText(mapfile.File{Path: c.Document, Content: []byte(text)})
	if err == nil {
		d.put(t)
	}
	return err
}

func (d *Draft) paths(yield func(string) bool) {
	for _, f := range d.Files {
		if !yield(f.Path) {
			return
		}
	}
}

// touch notes that a record of a source has changed, and gives the records to be
// changed.
func (d *Draft) touch(dir string, kind connect.Kind, named string) {
	if d.Touched[dir] == nil {
		d.Touched[dir] = map[connect.Named]bool{}
	}
	d.Touched[dir][connect.Named{Kind: kind, Name: named}] = true
}

package change

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// Change is one thing that is to be otherwise in a map.
type Change interface {
	stage(*draft) error
}

// Join puts a user into a group that lists its members, and Leave takes one out.
// Names are looked up as anywhere else.
type (
	Join  struct{ Group, User string }
	Leave struct{ Group, User string }
)

// Set gives an attribute of a user other values: a text, a number as
// json.Number, true or false, or a list of these; nil takes it away. active and
// expires are attributes too.
type Set struct {
	User, Attribute string
	Value           any
}

// Replace puts another document in the place of a system's: with other lines, or
// the same in another order.
type Replace struct{ System *gate.System }

// Trial is a map as some changes would make it, beside the one that it was made
// from.
type Trial struct {
	Map    *atlas.Map
	Atlas  *atlas.Atlas
	before *atlas.Atlas
	// touched are the users whom the changes themselves are about; everyone,
	// where the atlas was compiled anew.
	touched []directory.UserID
	anew    bool
}

// draft is a map that is being changed. It shares with the map before it what
// has not been written to.
type draft struct {
	atlas   *atlas.Atlas
	m       *atlas.Map
	owned   map[any]bool // what has been copied
	edit    directory.Edit
	systems []*gate.System
}

// Try makes a map with changes, and its atlas, and works out again only what the
// changes can touch. Nothing of the map before is changed. The error is about the
// first change that cannot be made, or as that of atlas.Compile.
func Try(before *atlas.Atlas, m *atlas.Map, changes ...Change) (*Trial, error) {
	after := *m
	after.Directories, after.Systems = slices.Clone(m.Directories), slices.Clone(m.Systems)
	d := &draft{atlas: before, m: &after, owned: map[any]bool{}, edit: directory.Edit{Users: map[directory.UserID]*directory.User{}}}
	for i, c := range changes {
		if err := c.stage(d); err != nil {
			return nil, fmt.Errorf("change %d: %w", i+1, err)
		}
	}
	t := &Trial{Map: d.m, before: before}
	book, ok := before.Book, true
	if len(d.edit.Users)+len(d.edit.Join)+len(d.edit.Leave) > 0 {
		book, ok = before.Book.With(d.edit)
	}
	var err error
	if !ok {
		t.anew = true
		t.Atlas, err = atlas.Compile(d.m)
		return t, err
	}
	if book != before.Book {
		_, t.touched = book.Base()
	}
	t.Atlas, err = before.With(book, d.systems, d.m.Guarantees)
	return t, err
}

// directory copies a directory's document before it is written to.
func (d *draft) directory(named string) *directory.Document {
	i := slices.IndexFunc(d.m.Directories, func(x *directory.Document) bool { return strings.EqualFold(x.Name, named) })
	if doc := d.m.Directories[i]; d.owned[doc] {
		return doc
	}
	doc := *d.m.Directories[i]
	doc.Users, doc.Groups = slices.Clone(doc.Users), slices.Clone(doc.Groups)
	d.m.Directories[i] = &doc
	d.owned[&doc] = true
	return &doc
}

// replace puts a record in the place of another in a list.
func replace[T any](list []*T, old, now *T) {
	list[slices.Index(list, old)] = now
}

// group copies a group's record before its members are written to.
func (d *draft) group(id directory.GroupID) (*directory.Group, error) {
	book := d.atlas.Book
	old := book.Group(id)
	doc := d.directory(book.GroupHome(id))
	for _, g := range doc.Groups {
		if g == old || d.owned[g] && name.Fold(g.Name) == name.Fold(old.Name) {
			old = g
			break
		}
	}
	switch {
	case d.owned[old]:
		return old, nil
	case old.Rule != nil:
		return nil, fmt.Errorf("the rule of group %s says who is in it: %s", book.GroupName(id), old.Rule.Text)
	}
	now := *old
	now.Members = &directory.Members{}
	if old.Members != nil {
		*now.Members = *old.Members
		now.Members.Users, now.Members.Any = slices.Clone(old.Members.Users), slices.Clone(old.Members.Any)
	}
	replace(doc.Groups, old, &now)
	d.owned[&now] = true
	return &now, nil
}

// find looks a membership up, with the group's record, which may be written to.
func (d *draft) find(group, user string) (m directory.Membership, g *directory.Group, err error) {
	if m.Group, err = d.atlas.Book.FindGroup(group, ""); err != nil {
		return m, nil, err
	}
	if m.User, err = d.atlas.Book.FindUser(user, ""); err != nil {
		return m, nil, err
	}
	g, err = d.group(m.Group)
	return m, g, err
}

func (c Join) stage(d *draft) error {
	m, g, err := d.find(c.Group, c.User)
	if err != nil {
		return err
	}
	g.Members.Users = append(g.Members.Users, name.Ref{Name: d.atlas.Book.UserName(m.User), Place: g.Place})
	d.edit.Leave = slices.DeleteFunc(d.edit.Leave, func(x directory.Membership) bool { return x == m })
	d.edit.Join = append(d.edit.Join, m)
	return nil
}

func (c Leave) stage(d *draft) error {
	m, g, err := d.find(c.Group, c.User)
	if err != nil {
		return err
	}
	book := d.atlas.Book
	is := func(r name.Ref) bool {
		u, err := book.FindUser(r.Name, book.GroupHome(m.Group))
		return err == nil && u == m.User
	}
	before := len(g.Members.Users) + len(g.Members.Any)
	g.Members.Users, g.Members.Any = slices.DeleteFunc(g.Members.Users, is), slices.DeleteFunc(g.Members.Any, is)
	if len(g.Members.Users)+len(g.Members.Any) == before {
		return fmt.Errorf("group %s does not list %s", book.GroupName(m.Group), book.UserName(m.User))
	}
	d.edit.Join = slices.DeleteFunc(d.edit.Join, func(x directory.Membership) bool { return x == m })
	d.edit.Leave = append(d.edit.Leave, m)
	return nil
}

func (c Set) stage(d *draft) error {
	book := d.atlas.Book
	u, err := book.FindUser(c.User, "")
	if err != nil {
		return err
	}
	old := book.User(u)
	if changed, ok := d.edit.Users[u]; ok {
		old = changed
	}
	now, err := old.Altered(c.Attribute, c.Value)
	if err != nil {
		return err
	}
	replace(d.directory(book.UserHome(u)).Users, old, now)
	d.edit.Users[u] = now
	return nil
}

func (c Replace) stage(d *draft) error {
	s, err := d.atlas.System(c.System.Name)
	if err != nil {
		return err
	}
	old := s.Document
	d.systems = slices.DeleteFunc(d.systems, func(x *gate.System) bool {
		if same := strings.EqualFold(x.Name, old.Name); same {
			old = x
			return true
		}
		return false
	})
	replace(d.m.Systems, old, c.System)
	d.systems = append(d.systems, c.System)
	return nil
}

package intake

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/mapfile"
	"gatemap/stage"
	"gatemap/store"
)

// rename is a record of a source that has another name, or another distinguished name, than
// before.
type rename struct {
	kind, id     string
	name, dn     string
	toName, toDN string
}

// renames are the records of a directory that a run renames.
func renames(d *connect.Delta) (all []rename) {
	add := func(r rename) {
		if r.name != r.toName || r.dn != r.toDN {
			all = append(all, r)
		}
	}
	for _, c := range d.Changed {
		add(rename{"user", c.After.ID, c.Before.Name, c.Before.DN, c.After.Name, c.After.DN})
	}
	for _, c := range d.ChangedGroups {
		add(rename{"group", c.After.ID, c.Before.Name, c.Before.DN, c.After.Name, c.After.DN})
	}
	for _, c := range d.OtherDevices {
		add(rename{"device", c.After.ID, c.Before.Name, c.Before.DN, c.After.Name, c.After.DN})
	}
	return all
}

// rewrite writes the new names into the documents, wherever they name what a run renames.
func (p *prepared) rewrite() error {
	all := renames(&p.delta)
	if len(all) == 0 {
		return nil
	}
	mentioned := map[string]bool{}
	for _, r := range all {
		mentioned[strings.ToLower(r.name)] = true
		if r.dn != "" {
			first, _, _ := strings.Cut(strings.ToLower(r.dn), ",")
			mentioned[first] = true
		}
	}
	files := p.head.Folder.Files
	touched := slices.ContainsFunc(files, func(f mapfile.File) bool { return stage.Mentions(f, mentioned) })
	if !touched {
		return nil
	}
	by := map[string]rename{}
	for _, r := range all {
		by[r.kind+" "+name.Fold(p.directory.Name+"/"+r.name)] = r
	}
	book := p.head.Atlas.Book
	var err error
	p.files, p.rewritten, err = stage.Rewrite(files, func(kind, ref, home string) (string, bool) {
		r, ok := by[kind+" "+name.Fold(fullName(book, kind, ref, home))]
		if !ok {
			return "", false
		}
		switch {
		case strings.Contains(ref, "=") && r.toDN != "":
			return r.toDN, r.toDN != r.dn
		case r.name == r.toName:
			return "", false
		case strings.Contains(ref, "/") || !name.Equal(home, p.directory.Name) && elsewhere(p, kind, r.toName):
			return p.directory.Name + "/" + r.toName, true
		}
		return r.toName, true
	})
	if len(p.rewritten) == 0 {
		p.files = nil
	}
	return err
}

// fullName is the full name of what a reference means; "" if that is nothing, or not one.
func fullName(book *directory.Book, kind, ref, home string) string {
	switch kind {
	case "user":
		if u, err := book.LookUser(ref, home); err == nil {
			return book.UserName(u)
		}
	case "group":
		if g, err := book.LookGroup(ref, home); err == nil {
			return book.GroupName(g)
		}
	default:
		if d, err := book.LookDevice(ref, home); err == nil {
			return book.DeviceName(d)
		}
	}
	return ""
}

// elsewhere says whether another directory has a record by a name, so that the bare name
// would mean several.
func elsewhere(p *prepared, kind, named string) bool {
	for _, d := range p.head.Folder.Map.Directories {
		if !name.Equal(d.Name, p.directory.Name) && fullName(p.head.Atlas.Book, kind, d.Name+"/"+named, "") != "" {
			return true
		}
	}
	return false
}

// referred is the form in which references are compared: folded, or a canonical
// distinguished name.
func referred(ref string) string {
	if dn, ok := name.DN(ref); ok {
		return dn
	}
	return name.Fold(ref)
}

// named are the names of records of the directory that the documents have after the run, as
// referred has them, with the kind in front. A bare name in a line counts as of this
// directory.
func (p *prepared) named() map[string]bool {
	if p.names != nil {
		return p.names
	}
	files := p.files
	if files == nil {
		files = p.head.Folder.Files
	}
	p.names = map[string]bool{}
	// A file that cannot be opened has none; it would not be in force.
	_, _, _ = stage.Rewrite(files, func(kind, ref, home string) (string, bool) {
		in, own, full := strings.Cut(ref, "/")
		switch {
		case full && name.Equal(in, p.directory.Name):
			p.names[kind+" "+referred(own)] = true
		case home == "" || name.Equal(home, p.directory.Name):
			p.names[kind+" "+referred(ref)] = true
		}
		return "", false
	})
	return p.names
}

// refile puts the files with the new names in the place of those before.
func (p *prepared) refile() error {
	next := *p.folder
	var err error
	if next.Written, err = p.head.Folder.Written.With(p.files); err != nil {
		return err
	}
	next.Files = p.files
	next.Assemble()
	p.folder = &next
	before := map[string]string{}
	for _, f := range p.head.Folder.Files {
		before[f.Path] = string(f.Content)
	}
	for _, f := range p.files {
		if before[f.Path] != string(f.Content) {
			p.put = append(
				p.put,
				store.Pending{Key: store.Key{Path: f.Path}, Body: func() ([]byte, error) { return f.Content, nil }},
			)
		}
	}
	return nil
}

// lookAtNames notes which names lose their records, which get some again, and which would
// lead to others than they were written for.
func (s *Plans) lookAtNames(p *prepared) error {
	p.departed = p.departures()
	if len(p.departed)+len(p.delta.Joined)+len(p.delta.NewGroups)+len(p.delta.NewDevices)+len(renames(&p.delta)) == 0 {
		return nil
	}
	old, err := s.Store.Departed(s.Closing, p.directory.Name)
	if err != nil {
		return err
	}
	p.reused = p.reusedSince(old)
	is := map[string]bool{}
	for _, d := range slices.Concat(old, p.departed) {
		is[d.Kind+" "+d.Name] = true
	}
	back := func(kind string, names ...string) {
		for _, n := range names {
			if is[kind+" "+referred(n)] {
				p.returned = append(p.returned, store.Departed{Directory: p.directory.Name, Kind: kind, Name: referred(n)})
			}
		}
	}
	for _, d := range p.reused {
		back(d.Kind, d.Name)
	}
	for _, u := range p.delta.Joined {
		back("user", u.Name, u.DN)
	}
	for _, g := range p.delta.NewGroups {
		back("group", g.Name, g.DN)
	}
	for _, d := range p.delta.NewDevices {
		back("device", d.Name, d.DN)
	}
	return nil
}

// renamed tells which references in documents are written anew.
func (p *prepared) renamed() []string {
	all := []string{}
	for _, r := range p.rewritten {
		all = append(all, fmt.Sprintf("%s: %s %s becomes %s", r.File, r.Kind, r.From, r.To))
	}
	return all
}

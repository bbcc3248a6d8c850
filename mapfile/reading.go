package mapfile

import (
	"bytes"
	"slices"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/notice"
	"gatemap/core/place"
)

// Reading is a folder's files with the map that they make. It is not changed.
type Reading struct {
	Map    *atlas.Map
	parts  []*part
	tables []*attributeTable

	types       []gate.Type
	connections []directory.ConnectionKind
	// filled are the directories whose sources were filled from tables, by what
	// was written.
	filled map[*directory.Document]*directory.Document
}

// part is what one file holds.
type part struct {
	file        File
	head        *head
	directories []*directory.Document
	systems     []*gate.System
	guarantees  []*atlas.Guarantee
	tables      []*attributeTable
	notices     []*notice.Document
}

// Parse makes a map from the files of a folder. The error joins a *place.Error
// for everything that is wrong, in all files.
func Parse(files []File, types []gate.Type, connections []directory.ConnectionKind) (*atlas.Map, error) {
	r, err := Read(files, types, connections)
	if err != nil {
		return nil, err
	}
	return r.Map, nil
}

// Read is Parse for files of which some will be read again.
func Read(files []File, types []gate.Type, connections []directory.ConnectionKind) (*Reading, error) {
	return (&Reading{types: types, connections: connections}).With(files)
}

// With reads other files. What stands in files that are as they were is not only
// the same but shared. The error is as that of Parse.
func (r *Reading) With(files []File) (*Reading, error) {
	known := map[string]*part{}
	for _, p := range r.parts {
		known[p.file.Path] = p
	}
	var errs place.Errors
	n := &Reading{types: r.types, connections: r.connections, filled: map[*directory.Document]*directory.Document{}}
	for _, f := range files {
		p := known[f.Path]
		if p == nil || !bytes.Equal(p.file.Content, f.Content) {
			p = &part{file: f}
			(&reader{p, r.types, r.connections, &errs}).file(f)
		}
		n.parts = append(n.parts, p)
	}
	n.join(r, &errs)
	if err := errs.Err(); err != nil {
		return nil, err
	}
	return n, nil
}

// join puts the parts together to a map.
func (r *Reading) join(before *Reading, errs *place.Errors) {
	r.Map = &atlas.Map{}
	r.tables = slices.Clone(shippedTables())
	for _, p := range r.parts {
		if p.head != nil {
			p.head.into(r.Map, errs)
		}
		r.Map.Systems = append(r.Map.Systems, p.systems...)
		r.Map.Guarantees = append(r.Map.Guarantees, p.guarantees...)
		r.Map.Notices = append(r.Map.Notices, p.notices...)
		for _, t := range p.tables {
			if r.find(t.Name) != nil {
				errs.Addf(t.Place, "there is an attribute table %s already", t.Name)
				continue
			}
			r.tables = append(r.tables, t)
		}
	}
	same := slices.Equal(r.tables, before.tables)
	for _, p := range r.parts {
		for _, d := range p.directories {
			if filled := before.filled[d]; same && filled != nil {
				r.filled[d] = filled
			} else {
				r.filled[d] = r.fill(d, errs)
			}
			r.Map.Directories = append(r.Map.Directories, r.filled[d])
		}
	}
	receivers(r.Map, errs)
}

// receivers sees that each receiver of notices has a name of its own, that it can be reached, and that
// there is what it is to be told of.
func receivers(m *atlas.Map, errs *place.Errors) {
	seen := map[string]bool{}
	for _, n := range m.Notices {
		if n.Connection.Document == nil {
			errs.Addf(n.Place, "the receiver %s does not say how it is reached; give it webhook, mail or syslog", n.Name)
		}
		if seen[name.Fold(n.Name)] {
			errs.Addf(n.Place, "there is a receiver of notices %s already", n.Name)
		}
		seen[name.Fold(n.Name)] = true
		for _, of := range n.Systems {
			known := names(m)
			if !slices.ContainsFunc(known, func(n string) bool { return name.Equal(n, of.Name) }) {
				errs.Addf(
					of.Place,
					"there is no system or directory %q%s",
					of.Name,
					name.DidYouMean(name.Near(of.Name, slices.Values(known))),
				)
			}
		}
	}
}

// names are the names of systems and directories.
func names(m *atlas.Map) (all []string) {
	for _, s := range m.Systems {
		all = append(all, s.Name)
	}
	for _, d := range m.Directories {
		all = append(all, d.Name)
	}
	return all
}

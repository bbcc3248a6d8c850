package service

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/mapfile"
	"gatemap/store"
)

// record is a user, group or device of a source as a revision keeps it.
type record struct {
	DN          string         `json:"dn,omitempty"`
	File        string         `json:"file,omitempty"`
	Line        int32          `json:"line,omitempty"`
	Active      *bool          `json:"active,omitempty"`
	Expires     *time.Time     `json:"expires,omitempty"`
	Primary     *reference     `json:"primary_group,omitempty"`
	Attributes  map[string]any `json:"attributes,omitempty"`
	Description string         `json:"description,omitempty"`
	Kind        string         `json:"kind,omitempty"`
	Draws       string         `json:"draws,omitempty"`
	Opens       string         `json:"opens,omitempty"`
	Members     []reference    `json:"members,omitempty"`
	Managers    []reference    `json:"managers,omitempty"`
	Managed     *bool          `json:"managed,omitempty"`
	Compliant   *bool          `json:"compliant,omitempty"`
}

// reference is a name with the line on which it stands.
type reference struct {
	Name string `json:"name"`
	Line int32  `json:"line,omitempty"`
}

func toReferences(refs []name.Ref) []reference {
	var list []reference
	for _, r := range refs {
		list = append(list, reference{r.Name, r.Place.Line})
	}
	return list
}

func (r *record) refs(list []reference) []name.Ref {
	var refs []name.Ref
	for _, x := range list {
		refs = append(refs, name.Ref{Name: x.Name, Place: place.Place{File: r.File, Line: x.Line}})
	}
	return refs
}

func (r *record) place() place.Place { return place.Place{File: r.File, Line: r.Line} }

// rows turns a folder into the rows of a revision.
func (f *Folder) rows() ([]store.Row, error) {
	var rows []store.Row
	for _, file := range f.Files {
		rows = append(rows, store.Row{Key: store.Key{Path: file.Path}, Body: string(file.Content)})
	}
	put := func(dir, kind, named string, r record) error {
		body, err := json.Marshal(r)
		rows = append(rows, store.Row{Key: store.Key{Directory: dir, Kind: kind, Name: named}, Body: string(body)})
		return err
	}
	for dir, records := range f.Records {
		for i := range records.Users {
			if err := put(dir, "user", records.Users[i].Name, fromUser(records.Users[i])); err != nil {
				return nil, err
			}
		}
		for i := range records.Groups {
			if err := put(dir, "group", records.Groups[i].Name, fromGroup(records.Groups[i])); err != nil {
				return nil, err
			}
		}
		for i := range records.Devices {
			d := records.Devices[i]
			r := record{DN: d.DN, File: d.Place.File, Line: d.Place.Line, Managed: d.Managed, Compliant: d.Compliant, Attributes: d.Attrs.Plain()}
			if err := put(dir, "device", d.Name, r); err != nil {
				return nil, err
			}
		}
	}
	return rows, nil
}

func fromUser(u *directory.User) record {
	r := record{DN: u.DN, File: u.Place.File, Line: u.Place.Line, Active: u.Active, Attributes: u.Attributes.Plain()}
	if !u.Expires.IsZero() {
		r.Expires = &u.Expires.Time
	}
	if u.PrimaryGroup.Name != "" {
		r.Primary = &reference{u.PrimaryGroup.Name, u.PrimaryGroup.Place.Line}
	}
	return r
}

func fromGroup(g *directory.Group) record {
	r := record{
		DN: g.DN, File: g.Place.File, Line: g.Place.Line, Description: g.Description,
		Kind: string(g.Kind), Draws: string(g.Draws), Opens: string(g.Opens), Members: toReferences(g.Members.Any),
	}
	if g.Managers != nil {
		r.Managers = toReferences(g.Managers.Users)
	}
	return r
}

// fromRows gives back the folder that the rows were made of.
func fromRows(each func(visit func(store.Row) error) error) (*Folder, error) {
	f := &Folder{Records: map[string]connect.Records{}}
	err := each(func(row store.Row) error {
		if row.Key.Path != "" {
			f.Files = append(f.Files, mapfile.File{Path: row.Key.Path, Content: []byte(row.Body)})
			return nil
		}
		return f.addRecord(row)
	})
	if err != nil {
		return nil, err
	}
	if f.Map, err = mapfile.Parse(f.Files, types.Table); err != nil {
		return nil, err
	}
	for _, d := range f.Map.Directories {
		add(d, f.Records[d.Name])
	}
	return f, nil
}

func (f *Folder) addRecord(row store.Row) error {
	var r record
	in := json.NewDecoder(bytes.NewReader([]byte(row.Body)))
	in.UseNumber()
	if err := in.Decode(&r); err != nil {
		return fmt.Errorf("%s %s/%s: %w", row.Key.Kind, row.Key.Directory, row.Key.Name, err)
	}
	var attributes directory.Attributes
	for _, a := range slices.Sorted(maps.Keys(r.Attributes)) {
		if err := attributes.Set(a, r.Attributes[a]); err != nil {
			return fmt.Errorf("%s %s/%s: %w", row.Key.Kind, row.Key.Directory, row.Key.Name, err)
		}
	}
	records := f.Records[row.Key.Directory]
	switch row.Key.Kind {
	case "user":
		records.Users = append(records.Users, r.user(row.Key.Name, attributes))
	case "group":
		records.Groups = append(records.Groups, r.group(row.Key.Name))
	case "device":
		records.Devices = append(records.Devices, &directory.Device{
			Place: r.place(), Name: row.Key.Name, DN: r.DN, Managed: r.Managed, Compliant: r.Compliant, Attrs: attributes,
		})
	}
	f.Records[row.Key.Directory] = records
	return nil
}

func (r *record) user(named string, attributes directory.Attributes) *directory.User {
	u := &directory.User{Place: r.place(), Name: named, DN: r.DN, Active: r.Active, Attributes: attributes}
	if r.Expires != nil {
		u.Expires.Time = *r.Expires
	}
	if r.Primary != nil {
		u.PrimaryGroup = r.refs([]reference{*r.Primary})[0]
	}
	return u
}

func (r *record) group(named string) *directory.Group {
	g := &directory.Group{
		Place: r.place(), Name: named, DN: r.DN, Description: r.Description,
		Kind: directory.Kind(r.Kind), Draws: directory.Draws(r.Draws), Opens: directory.Opens(r.Opens),
		Members: &directory.Members{Any: r.refs(r.Members)},
	}
	if r.Managers != nil {
		g.Managers = &directory.People{Users: r.refs(r.Managers)}
	}
	return g
}

package content

import (
	"fmt"
	"time"

	"github.com/fxamacker/cbor/v2"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/store"
)

// Record is a user, group or device of a source as a revision keeps it, in CBOR
// (RFC 8949) with numbers for keys: numbers are never used again for another
// thing.
type Record struct {
	DN          string      `cbor:"1,keyasint,omitempty"`
	File        string      `cbor:"2,keyasint,omitempty"`
	Line        int32       `cbor:"3,keyasint,omitempty"`
	Active      *bool       `cbor:"4,keyasint,omitempty"`
	Expires     *time.Time  `cbor:"5,keyasint,omitempty"`
	Primary     *references `cbor:"6,keyasint,omitempty"`
	Attributes  []attribute `cbor:"7,keyasint,omitempty"`
	Description string      `cbor:"8,keyasint,omitempty"`
	Kind        string      `cbor:"9,keyasint,omitempty"`
	MembersFrom string      `cbor:"10,keyasint,omitempty"`
	UsableIn    string      `cbor:"11,keyasint,omitempty"`
	Members     *references `cbor:"12,keyasint,omitempty"`
	Managers    *references `cbor:"13,keyasint,omitempty"`
	Managed     *bool       `cbor:"14,keyasint,omitempty"`
	Compliant   *bool       `cbor:"15,keyasint,omitempty"`
	Resource    []byte      `cbor:"16,keyasint,omitempty"`
	Host        string      `cbor:"17,keyasint,omitempty"`
	ID          string      `cbor:"18,keyasint,omitempty"`
	MemberUsers *references `cbor:"19,keyasint,omitempty"`
}

// attribute has Text where its only value is a plain text, else Values.
type attribute struct {
	_      struct{} `cbor:",toarray"`
	Name   string
	Text   string
	Values []filter.Value
}

// references are names with the lines on which they stand. The names are one
// text, so that they lie together when they are read.
type references struct {
	_       struct{} `cbor:",toarray"`
	Names   string
	Lengths []uint32 // of the names, in bytes
	Lines   []int32
}

// written writes records so that equal ones are equal bytes.
var written = func() cbor.EncMode {
	mode, err := cbor.EncOptions{Sort: cbor.SortCanonical, Time: cbor.TimeRFC3339Nano}.EncMode()
	if err != nil {
		panic(err) // the options are constant
	}
	return mode
}()

func toReferences(refs []name.Ref) *references {
	if len(refs) == 0 {
		return nil // as they are read
	}
	r := &references{Lengths: make([]uint32, len(refs)), Lines: make([]int32, len(refs))}
	var names []byte
	for i, ref := range refs {
		names = append(names, ref.Name...)
		r.Lengths[i], r.Lines[i] = uint32(len(ref.Name)), ref.Place.Line
	}
	r.Names = string(names)
	return r
}

func (r *Record) refs(list *references) ([]name.Ref, error) {
	if list == nil || len(list.Lengths) == 0 {
		return nil, nil
	}
	refs := make([]name.Ref, len(list.Lengths))
	rest := list.Names
	for i, length := range list.Lengths {
		if int(length) > len(rest) || i >= len(list.Lines) {
			return nil, fmt.Errorf("reference %d is cut short", i+1)
		}
		refs[i] = name.Ref{Name: rest[:length], Place: place.Place{File: r.File, Line: list.Lines[i]}}
		rest = rest[length:]
	}
	return refs, nil
}

func toAttributes(attributes directory.Attributes) []attribute {
	var list []attribute
	for _, a := range attributes {
		x := attribute{Name: a.Name, Values: a.Values}
		if len(a.Values) == 1 && a.Values[0].Kind == filter.Text && a.Values[0].Text != "" {
			x.Text, x.Values = a.Values[0].Text, nil
		}
		list = append(list, x)
	}
	return list
}

func fromAttributes(list []attribute) directory.Attributes {
	attributes := make(directory.Attributes, 0, len(list))
	plain := make([]filter.Value, len(list))
	for i, a := range list {
		if a.Text != "" {
			plain[i].Text = a.Text
			a.Values = plain[i : i+1 : i+1]
		}
		attributes.Put(a.Name, a.Values)
	}
	return attributes
}

// FromUser, FromGroup and FromDevice are records as rows hold them.
func FromUser(u *directory.User) Record {
	r := Record{
		ID:         u.ID,
		DN:         u.DN,
		File:       u.Place.File,
		Line:       u.Place.Line,
		Active:     u.Active,
		Attributes: toAttributes(u.Attributes),
	}
	if !u.Expires.IsZero() {
		r.Expires = &u.Expires.Time
	}
	if u.PrimaryGroup.Name != "" {
		r.Primary = toReferences([]name.Ref{u.PrimaryGroup})
	}
	return r
}

func FromGroup(g *directory.Group) Record {
	r := Record{
		ID: g.ID, DN: g.DN, File: g.Place.File, Line: g.Place.Line, Description: g.Description,
		Kind: string(g.Kind), MembersFrom: string(g.MembersFrom), UsableIn: string(g.UsableIn), Host: g.Host,
		Members: toReferences(g.Members.Any), MemberUsers: toReferences(g.Members.Users),
	}
	if g.Managers != nil {
		r.Managers = toReferences(g.Managers.Users)
	}
	return r
}

func FromDevice(d *directory.Device) Record {
	r := Record{
		ID:         d.ID,
		DN:         d.DN,
		File:       d.Place.File,
		Line:       d.Place.Line,
		Managed:    d.Managed,
		Compliant:  d.Compliant,
		Attributes: toAttributes(d.Attrs),
	}
	if d.PrimaryGroup.Name != "" {
		r.Primary = toReferences([]name.Ref{d.PrimaryGroup})
	}
	return r
}

// Row writes a record.
func (r Record) Row(dir, kind, named string) (store.Row, error) {
	body, err := written.Marshal(r)
	return store.Row{Key: store.Key{Directory: dir, Kind: kind, Name: named}, Body: body}, err
}

var Kinds = map[string]connect.Kind{"user": connect.User, "group": connect.Group, "device": connect.Device}

// Take adds the record of a row to those of its directory.
func Take(to map[string]connect.Records, row store.Row) error {
	failed := func(err error) error {
		return fmt.Errorf("%s %s/%s: %w", row.Key.Kind, row.Key.Directory, row.Key.Name, err)
	}
	var r Record
	if err := cbor.Unmarshal(row.Body, &r); err != nil {
		return failed(err)
	}
	records := to[row.Key.Directory]
	var err error
	switch row.Key.Kind {
	case "user":
		var u *directory.User
		u, err = r.user(row.Key.Name)
		records.Users = append(records.Users, u)
	case "group":
		var g *directory.Group
		g, err = r.group(row.Key.Name)
		records.Groups = append(records.Groups, g)
	case "device":
		var d *directory.Device
		d, err = r.device(row.Key.Name)
		records.Devices = append(records.Devices, d)
	}
	if err != nil {
		return failed(err)
	}
	if r.Resource != nil {
		if records.Resources == nil {
			records.Resources = map[connect.Named][]byte{}
		}
		records.Resources[connect.Named{Kind: Kinds[row.Key.Kind], Name: row.Key.Name}] = r.Resource
	}
	to[row.Key.Directory] = records
	return nil
}

func (r *Record) place() place.Place { return place.Place{File: r.File, Line: r.Line} }

func (r *Record) user(named string) (*directory.User, error) {
	u := &directory.User{
		Place:      r.place(),
		ID:         r.ID,
		Name:       named,
		DN:         r.DN,
		Active:     r.Active,
		Attributes: fromAttributes(r.Attributes),
	}
	if r.Expires != nil {
		u.Expires.Time = *r.Expires
	}
	primary, err := r.refs(r.Primary)
	if len(primary) > 0 {
		u.PrimaryGroup = primary[0]
	}
	return u, err
}

func (r *Record) group(named string) (*directory.Group, error) {
	members, err := r.refs(r.Members)
	if err != nil {
		return nil, err
	}
	users, err := r.refs(r.MemberUsers)
	if err != nil {
		return nil, err
	}
	g := &directory.Group{
		Place: r.place(), ID: r.ID, Name: named, DN: r.DN, Description: r.Description,
		Kind: directory.Kind(
			r.Kind,
		), MembersFrom: directory.MembersFrom(r.MembersFrom), UsableIn: directory.UsableIn(r.UsableIn), Host: r.Host,
		Members: &directory.Members{Users: users, Any: members},
	}
	if r.Managers != nil {
		g.Managers = &directory.People{}
		g.Managers.Users, err = r.refs(r.Managers)
	}
	return g, err
}

func (r *Record) device(named string) (*directory.Device, error) {
	d := &directory.Device{
		Place: r.place(), ID: r.ID, Name: named, DN: r.DN, Managed: r.Managed, Compliant: r.Compliant,
		Attrs: fromAttributes(r.Attributes),
	}
	primary, err := r.refs(r.Primary)
	if len(primary) > 0 {
		d.PrimaryGroup = primary[0]
	}
	return d, err
}

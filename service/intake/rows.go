package intake

import (
	"bytes"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/service/content"
	"gatemap/store"
)

// rows computes the rows that differ.
func (p *prepared) rows() {
	put := func(kind connect.Kind, named string, make func() content.Record) {
		key := store.Key{Directory: p.directory.Name, Kind: kind.String(), Name: named}
		p.put = append(p.put, store.Pending{Key: key, Body: func() ([]byte, error) {
			r := make()
			r.Resource = p.settled.Resources[connect.Named{Kind: kind, Name: named}]
			row, err := r.Row(key.Directory, key.Kind, key.Name)
			return row.Body, err
		}})
	}
	d := &p.delta
	otherRows(
		p,
		put,
		connect.User,
		d.Joined,
		d.Left,
		d.Changed,
		func(u *directory.User) string { return u.Name },
		content.FromUser,
	)
	changed := make([]connect.Changed[directory.Group], len(d.ChangedGroups))
	for i, c := range d.ChangedGroups {
		changed[i] = c.Changed
	}
	otherRows(
		p,
		put,
		connect.Group,
		d.NewGroups,
		d.GoneGroups,
		changed,
		func(g *directory.Group) string { return g.Name },
		content.FromGroup,
	)
	otherRows(
		p,
		put,
		connect.Device,
		d.NewDevices,
		d.GoneDevices,
		d.OtherDevices,
		func(x *directory.Device) string { return x.Name },
		content.FromDevice,
	)
	for _, u := range d.Identified.Users {
		put(connect.User, u.Name, func() content.Record { return content.FromUser(u) })
	}
	for _, g := range d.Identified.Groups {
		put(connect.Group, g.Name, func() content.Record { return content.FromGroup(g) })
	}
	for _, x := range d.Identified.Devices {
		put(connect.Device, x.Name, func() content.Record { return content.FromDevice(x) })
	}
	p.otherwisePushed(put)
}

// otherRows computes the rows of one kind of records.
func otherRows[T any](
	p *prepared,
	put func(connect.Kind, string, func() content.Record),
	k connect.Kind,
	fresh, gone []*T,
	changed []connect.Changed[T],
	named func(*T) string,
	from func(*T) content.Record,
) {
	drop := func(x *T) {
		p.gone = append(p.gone, store.Key{Directory: p.directory.Name, Kind: k.String(), Name: named(x)})
	}
	for _, x := range fresh {
		put(k, named(x), func() content.Record { return from(x) })
	}
	for _, c := range changed {
		if named(c.Before) != named(c.After) {
			drop(c.Before)
		}
		put(k, named(c.After), func() content.Record { return from(c.After) })
	}
	for _, x := range gone {
		drop(x)
	}
}

// otherwisePushed puts the records that are as they were, but were pushed in
// another form.
func (p *prepared) otherwisePushed(put func(connect.Kind, string, func() content.Record)) {
	before := p.head.Folder.Records[p.directory.Name].Resources
	written := make(map[connect.Named]bool, len(p.put))
	for _, row := range p.put {
		written[connect.Named{Kind: content.Kinds[row.Key.Kind], Name: row.Key.Name}] = true
	}
	other := map[connect.Named]bool{}
	for n, raw := range p.settled.Resources {
		if !written[n] && !bytes.Equal(before[n], raw) {
			other[n] = true
		}
	}
	if len(other) == 0 {
		return
	}
	for _, u := range p.settled.Users {
		if other[connect.Named{Kind: connect.User, Name: u.Name}] {
			put(connect.User, u.Name, func() content.Record { return content.FromUser(u) })
		}
	}
	for _, g := range p.settled.Groups {
		if other[connect.Named{Kind: connect.Group, Name: g.Name}] {
			put(connect.Group, g.Name, func() content.Record { return content.FromGroup(g) })
		}
	}
}

package connect

import (
	"encoding/binary"
	"maps"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
	"gatemap/core/place"
)

// TakeUser adds an entry that is a user to the records. An entry with something
// wrong in it is rejected.
func (t *Tables) TakeUser(e *Entry, to *Records) {
	table := t.users
	n, id, ok := named(e, &table.picked, to)
	if !ok {
		return
	}
	u := &directory.User{Place: e.Place, ID: id, Name: n, DN: e.DN, Attributes: attributes(e, table.Attributes)}
	if table.disabled != nil && table.disabled(e) {
		if t.source.Inactive == "skip" {
			return
		}
		off := false
		u.Active = &off
	}
	if table.Expires.Attribute != "" {
		v := e.First(table.Expires.Attribute)
		at, err := readDate(table.Expires.Form, v.Value)
		if err != nil {
			to.reject(v.Place, "entry %q: %s %v", e.DN, table.Expires.Attribute, err)
			return
		}
		u.Expires = at
	}
	if table.PrimaryGroup != "" {
		group := e.First(table.PrimaryGroup)
		u.PrimaryGroup = name.Ref{Name: group.Value, Place: group.Place}
	}
	to.Users = append(to.Users, u)
	t.logins[name.Fold(n)] = true
	for _, other := range e.Values(table.Name)[1:] {
		t.aliases[name.Fold(other.Value)] = n
	}
}

// TakeGroup adds an entry that is a group to the records.
func (t *Tables) TakeGroup(e *Entry, to *Records) {
	table := t.groups
	n, id, ok := named(e, &table.picked, to)
	if !ok {
		return
	}
	g := &directory.Group{
		Place: e.Place, ID: id, Name: n, DN: e.DN,
		Kind: choose(table.kinds, e), MembersFrom: choose(table.membersFrom, e), UsableIn: choose(table.usableIn, e),
		Members: &directory.Members{},
	}
	if g.UsableIn == "host" {
		g.Host = table.Host
	}
	if table.Description != "" {
		g.Description = e.First(table.Description).Value
	}
	if n := number(e.First(table.Number).Value); n != "" {
		if t.numbered[n] == to && t.numbers[n] != e.DN { // in one reading, so that none was renamed
			t.several[n] = append(t.several[n], e.DN)
		} else {
			t.numbers[n], t.numbered[n] = e.DN, to
			delete(t.several, n)
		}
	}
	for _, attribute := range table.Members {
		if strings.EqualFold(attribute, "memberUid") { // login names, and nothing else (RFC 2307 section 3)
			g.Members.Users = append(g.Members.Users, references(e, attribute)...)
		} else {
			g.Members.Any = append(g.Members.Any, references(e, attribute)...)
		}
	}
	if managers := references(e, table.Managers); managers != nil {
		g.Managers = &directory.People{Users: managers}
	}
	to.Groups = append(to.Groups, g)
}

// TakeDevice adds an entry that is a device to the records.
func (t *Tables) TakeDevice(e *Entry, to *Records) {
	n, id, ok := named(e, &t.devices.picked, to)
	if !ok {
		return
	}
	d := &directory.Device{Place: e.Place, ID: id, Name: n, DN: e.DN}
	if t.devices.PrimaryGroup != "" {
		group := e.First(t.devices.PrimaryGroup)
		d.PrimaryGroup = name.Ref{Name: group.Value, Place: group.Place}
	}
	if t.devices.managed != nil {
		d.Managed = new(t.devices.managed(e))
	}
	if t.devices.compliant != nil {
		d.Compliant = new(t.devices.compliant(e))
	}
	to.Devices = append(to.Devices, d)
}

// number is the number of a group: as written, or the last part of a binary
// security identifier.
func number(written string) string {
	if n := len(written); n >= 12 && written[0] == 1 && n == 8+4*int(written[1]) {
		return strconv.FormatUint(uint64(binary.LittleEndian.Uint32([]byte(written[n-4:]))), 10)
	}
	return written
}

// secret holds attributes that are never taken along by default, and never written.
var secret = map[string]bool{
	"userpassword":    true,
	"unicodepwd":      true,
	"objectclass":     true,
	"entryuuid":       true,
	"objectguid":      true,
	"modifytimestamp": true,
}

func attributes(e *Entry, table map[string]string) directory.Attributes {
	var all directory.Attributes
	put := func(ours string, values []place.Text) {
		var list []filter.Value
		for _, v := range values {
			if utf8.ValidString(v.Value) && v.Value != "" {
				list = append(list, filter.Value{Text: v.Value})
			}
		}
		if list != nil {
			all.Put(ours, list)
		}
	}
	if table != nil {
		for _, ours := range slices.Sorted(maps.Keys(table)) {
			put(ours, e.Values(table[ours]))
		}
		return all
	}
	seen := map[string]bool{}
	for _, a := range e.Attributes {
		if key := strings.ToLower(a.Type); !seen[key] && !secret[key] {
			seen[key] = true
			put(a.Type, e.Values(a.Type))
		}
	}
	return all
}

// references lists what an attribute refers to. A group that must have a
// member and has none lists itself or nothing, which refers to nobody.
func references(e *Entry, attribute string) []name.Ref {
	if attribute == "" {
		return nil
	}
	var refs []name.Ref
	for _, v := range e.Values(attribute) {
		if v.Value != "" && v.Value != e.DN {
			refs = append(refs, name.Ref{Name: WithoutUID(v.Value), Place: v.Place})
		}
	}
	return refs
}

// WithoutUID takes off the bits that can follow the name of a unique member
// (Name and Optional UID, RFC 4517 section 3.3.21).
func WithoutUID(written string) string {
	if at := strings.LastIndex(written, "#'"); at > 0 && strings.HasSuffix(written, "'B") &&
		strings.Trim(written[at+2:len(written)-2], "01") == "" {
		return written[:at]
	}
	return written
}

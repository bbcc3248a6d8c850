package connect

import (
	"maps"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	ber "github.com/go-asn1-ber/asn1-ber"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Records are what a source brings in.
type Records struct {
	Users   []*directory.User
	Groups  []*directory.Group
	Devices []*directory.Device
}

// Apply picks users, groups and devices out of entries by the tables of a
// source. What is wrong with the tables or the entries goes to errs.
func Apply(source *directory.Source, entries []Entry, errs *place.Errors) Records {
	for i := range entries {
		if !entries[i].prepare() {
			errs.Addf(entries[i].Place, "%q is not a distinguished name (RFC 4514)", entries[i].DN)
		}
	}
	t := tables{entries: entries, errs: errs}
	var r Records
	if source.Users != nil {
		r.Users = t.users(source.Users)
	}
	if source.Groups != nil {
		r.Groups = t.groups(source.Groups)
	}
	if source.Devices != nil {
		r.Devices = t.devices(source.Devices)
	}
	return r
}

type tables struct {
	entries []Entry
	errs    *place.Errors
}

// filter compiles a filter of a table; a missing one gives nil.
func (t *tables) filter(f place.Text, key string) Match {
	if f.Value == "" {
		return nil
	}
	m, err := CompileFilter(f.Value)
	if err != nil {
		t.errs.Addf(f.Place, "%s: %v", key, err)
	}
	return m
}

// pick yields the entries that a table means, each with its name.
func (t *tables) pick(p *directory.Pick) func(func(*Entry, string) bool) {
	base := ""
	if p.Base.Value != "" {
		canonical, ok := name.DN(p.Base.Value)
		if !ok {
			t.errs.Addf(p.Base.Place, "base: %q is not a distinguished name (RFC 4514)", p.Base.Value)
		}
		base = canonical
	}
	match := t.filter(p.Filter, "filter")
	return func(yield func(*Entry, string) bool) {
		for i := range t.entries {
			e := &t.entries[i]
			if !e.under(base) || match != nil && !match(e) {
				continue
			}
			named := e.First(p.Name)
			if named.Value == "" {
				if match != nil {
					t.errs.Addf(e.Place, "entry %q is one of those meant, but has no %s to be its name", e.DN, p.Name)
				}
				continue
			}
			if !yield(e, named.Value) {
				return
			}
		}
	}
}

func (t *tables) users(table *directory.UserTable) []*directory.User {
	disabled := t.filter(table.Disabled, "disabled")
	var users []*directory.User
	for e, n := range t.pick(&table.Pick) {
		u := directory.User{Place: e.Place, Name: n, DN: e.DN, Attributes: attributes(e, table.Attributes)}
		if disabled != nil && disabled(e) {
			off := false
			u.Active = &off
		}
		if table.Expires != "" {
			u.Expires = t.expires(e, table.Expires)
		}
		if table.PrimaryGroup != "" {
			group := e.First(table.PrimaryGroup)
			u.PrimaryGroup = name.Ref{Name: group.Value, Place: group.Place}
		}
		users = append(users, &u)
	}
	return users
}

func (t *tables) expires(e *Entry, attribute string) directory.Instant {
	v := e.First(attribute)
	if v.Value == "" {
		return directory.Instant{}
	}
	if at, err := time.Parse(time.RFC3339, v.Value); err == nil {
		return directory.Instant{Time: at}
	}
	at, err := ber.ParseGeneralizedTime([]byte(v.Value))
	if err != nil {
		t.errs.Addf(v.Place, "%s %q is neither a generalized time (RFC 4517) nor one as RFC 3339 has it", attribute, v.Value)
	}
	return directory.Instant{Time: at}
}

// secret holds attributes that are never taken along by default.
var secret = map[string]bool{"userpassword": true, "objectclass": true}

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

func (t *tables) groups(table *directory.GroupTable) []*directory.Group {
	kinds := choices(t, table.Kind, "kind")
	draws := choices(t, table.Draws, "draws")
	opens := choices(t, table.Opens, "opens")
	var groups []*directory.Group
	for e, n := range t.pick(&table.Pick) {
		g := directory.Group{
			Place: e.Place, Name: n, DN: e.DN,
			Kind: choose(kinds, e), Draws: choose(draws, e), Opens: choose(opens, e),
			Members: &directory.Members{},
		}
		if table.Description != "" {
			g.Description = e.First(table.Description).Value
		}
		for _, attribute := range table.Members {
			g.Members.Any = append(g.Members.Any, references(e, attribute)...)
		}
		if managers := references(e, table.Managers); managers != nil {
			g.Managers = &directory.People{Users: managers}
		}
		groups = append(groups, &g)
	}
	return groups
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
			refs = append(refs, name.Ref{Name: v.Value, Place: v.Place})
		}
	}
	return refs
}

// choice is a value that an entry has where a filter holds.
type choice[T any] struct {
	value T
	match Match
}

func choices[T ~string](t *tables, table map[T]place.Text, key string) []choice[T] {
	var all []choice[T]
	for _, value := range slices.Sorted(maps.Keys(table)) {
		if m := t.filter(table[value], key); m != nil {
			all = append(all, choice[T]{value, m})
		}
	}
	return all
}

func choose[T ~string](all []choice[T], e *Entry) T {
	for _, c := range all {
		if c.match(e) {
			return c.value
		}
	}
	return ""
}

func (t *tables) devices(table *directory.DeviceTable) []*directory.Device {
	managed, compliant := t.filter(table.Managed, "managed"), t.filter(table.Compliant, "compliant")
	var devices []*directory.Device
	for e, n := range t.pick(&table.Pick) {
		d := directory.Device{Place: e.Place, Name: n, DN: e.DN}
		if managed != nil {
			d.Managed = new(managed(e))
		}
		if compliant != nil {
			d.Compliant = new(compliant(e))
		}
		devices = append(devices, &d)
	}
	return devices
}

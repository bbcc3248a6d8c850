package scim

import (
	"bytes"
	"cmp"
	"crypto/rand"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// Directory is everything that was pushed to one directory. It is not changed
// once made: every change makes another.
type Directory struct {
	byID   map[string]*Resource
	byName [connect.Device]map[string]*Resource // by kind and folded name
	others Extensions
}

// Read reads what was pushed out of records; others says what becomes of attributes of
// extensions that are not known.
func Read(r connect.Records, others Extensions) (*Directory, error) {
	d := &Directory{byID: map[string]*Resource{}, byName: [connect.Device]map[string]*Resource{{}, {}}, others: others}
	for n, raw := range r.Resources {
		resource, err := decode(n.Kind, raw)
		if err != nil {
			return nil, err
		}
		d.put(resource)
	}
	return d, nil
}

func (d *Directory) put(r *Resource) {
	d.byID[r.ID] = r
	d.byName[r.Kind][name.Fold(r.Name())] = r
}

func (d *Directory) clone() *Directory {
	return &Directory{
		byID:   maps.Clone(d.byID),
		byName: [connect.Device]map[string]*Resource{maps.Clone(d.byName[0]), maps.Clone(d.byName[1])},
		others: d.others,
	}
}

// Get is a resource by its identifier.
func (d *Directory) Get(k connect.Kind, id string) (*Resource, error) {
	if r := d.byID[id]; r != nil && r.Kind == k {
		return r, nil
	}
	return nil, notFound(TypeName(k), id)
}

// Named is a resource by its name.
func (d *Directory) Named(k connect.Kind, named string) (*Resource, bool) {
	r, ok := d.byName[k][name.Fold(named)]
	return r, ok
}

// Create takes a new resource.
func (d *Directory) Create(k connect.Kind, body map[string]any, now time.Time) (*Directory, *Resource, error) {
	cleaned, err := d.clean(k, body)
	if err != nil {
		return nil, nil, err
	}
	r := &Resource{Kind: k, ID: newID(), Created: now.UTC(), Modified: now.UTC(), Body: cleaned}
	next, err := d.with(nil, r)
	return next, r, err
}

// newID makes a random identifier (RFC 9562 section 5.4).
func newID() string {
	var b [16]byte
	_, _ = rand.Read(b[:]) // never fails (crypto/rand)
	b[6], b[8] = b[6]&0x0f|0x40, b[8]&0x3f|0x80
	return fmt.Sprintf("%x-%x-%x-%x-%x", b[:4], b[4:6], b[6:8], b[8:10], b[10:])
}

// Replace puts a whole resource in the place of one (RFC 7644 section 3.5.1).
// What the schemas call immutable keeps its value.
func (d *Directory) Replace(old *Resource, body map[string]any, now time.Time) (*Directory, *Resource, error) {
	cleaned, err := d.clean(old.Kind, body)
	if err != nil {
		return nil, nil, err
	}
	return d.change(old, cleaned, now)
}

// Patch applies the operations of a PATCH (RFC 7644 section 3.5.2), all or none.
func (d *Directory) Patch(old *Resource, body map[string]any, now time.Time) (*Directory, *Resource, error) {
	all, err := operations(body)
	if err != nil {
		return nil, nil, err
	}
	patched, err := d.patch(old.Kind, old.Body, all)
	if err != nil {
		return nil, nil, err
	}
	return d.change(old, patched, now)
}

func (d *Directory) change(old *Resource, body map[string]any, now time.Time) (*Directory, *Resource, error) {
	if _, said := body["active"]; !said && old.Body["active"] == false {
		body["active"] = false // nothing but true switches an account on
	}
	r := &Resource{Kind: old.Kind, ID: old.ID, Created: old.Created, Modified: old.Modified, Body: body}
	if r.Version() == old.Version() {
		return d, old, nil // nothing differs
	}
	r.Modified = now.UTC()
	next, err := d.with(old, r)
	return next, r, err
}

// with puts a resource in the place of another, or beside all others.
func (d *Directory) with(old, r *Resource) (*Directory, error) {
	if other := d.byName[r.Kind][name.Fold(r.Name())]; other != nil && other.ID != r.ID {
		return nil, &Error{
			http.StatusConflict,
			"uniqueness",
			fmt.Sprintf("there is a %s %q already", TypeName(r.Kind), r.Name()),
		}
	}
	next := d.clone()
	if old != nil {
		delete(next.byName[old.Kind], name.Fold(old.Name()))
	}
	next.put(r)
	return next, next.members(r)
}

// members checks that everyone in a group is there, and says of each what it is.
func (d *Directory) members(r *Resource) error {
	if r.Kind != connect.Group {
		return nil
	}
	list, _ := r.Body["members"].([]any)
	for _, m := range list {
		member, _ := m.(map[string]any)
		id, _ := member["value"].(string)
		other := d.byID[id]
		if other == nil {
			return invalid("invalidValue", "there is no member with the identifier %q", id)
		}
		member["type"] = TypeName(other.Kind)
		delete(member, "$ref")
	}
	return nil
}

// Delete takes a resource away, out of all groups too.
func (d *Directory) Delete(old *Resource, now time.Time) *Directory {
	next := d.clone()
	delete(next.byID, old.ID)
	delete(next.byName[old.Kind], name.Fold(old.Name()))
	for _, g := range d.byName[connect.Group] {
		list, _ := g.Body["members"].([]any)
		kept := slices.DeleteFunc(slices.Clone(list), func(m any) bool { return memberID(m) == old.ID })
		if g.ID == old.ID || len(kept) == len(list) {
			continue
		}
		body := maps.Clone(g.Body)
		store(body, "members", kept)
		next.put(&Resource{Kind: g.Kind, ID: g.ID, Created: g.Created, Modified: now.UTC(), Body: body})
	}
	return next
}

func memberID(m any) string {
	member, _ := m.(map[string]any)
	id, _ := member["value"].(string)
	return id
}

// With is the directory with what changed between two others. Members that it does not have
// are left out of groups.
func (d *Directory) With(before, after *Directory) *Directory {
	next := d.clone()
	for id, old := range before.byID {
		if after.byID[id] == nil || after.byID[id] != old {
			if mine := next.byID[id]; mine != nil {
				delete(next.byID, id)
				delete(next.byName[mine.Kind], name.Fold(mine.Name()))
			}
		}
	}
	var groups []*Resource
	for id, r := range after.byID {
		if before.byID[id] == r {
			continue
		}
		next.put(r)
		if r.Kind == connect.Group {
			groups = append(groups, r)
		}
	}
	for _, g := range groups {
		if list, _ := g.Body["members"].([]any); len(list) > 0 {
			body := maps.Clone(g.Body)
			store(
				body,
				"members",
				slices.DeleteFunc(slices.Clone(list), func(m any) bool { return next.byID[memberID(m)] == nil }),
			)
			next.put(&Resource{Kind: g.Kind, ID: g.ID, Created: g.Created, Modified: g.Modified, Body: body})
		}
	}
	return next
}

// To is what changes in the records between two directories. It is for one caller at a time:
// what it makes of a resource is kept with that.
func (d *Directory) To(after *Directory) connect.Patch {
	p := connect.Patch{Put: connect.Records{Resources: map[connect.Named][]byte{}}}
	for id, old := range d.byID {
		if now := after.byID[id]; now == nil || now.named() != old.named() {
			p.Gone = append(p.Gone, connect.Gone{Named: old.named(), ID: id})
		}
	}
	for id, now := range after.byID {
		if old := d.byID[id]; old == now || old != nil && bytes.Equal(old.encode(), now.encode()) {
			continue
		}
		p.Put.Resources[now.named()] = now.encode()
		if now.Kind == connect.User {
			p.Put.Users = append(p.Put.Users, now.asUser())
		} else {
			p.Put.Groups = append(p.Put.Groups, now.asGroup())
		}
	}
	slices.SortFunc(p.Gone, func(a, b connect.Gone) int { return cmp.Compare(a.ID, b.ID) })
	slices.SortFunc(
		p.Put.Users,
		func(a, b *directory.User) int { return cmp.Compare(name.Fold(a.Name), name.Fold(b.Name)) },
	)
	slices.SortFunc(
		p.Put.Groups,
		func(a, b *directory.Group) int { return cmp.Compare(name.Fold(a.Name), name.Fold(b.Name)) },
	)
	return p
}

func (r *Resource) named() connect.Named { return connect.Named{Kind: r.Kind, Name: r.Name()} }

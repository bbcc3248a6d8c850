package connect

import (
	"fmt"
	"maps"
	"slices"
	"time"

	"gatemap/core/name"
	"gatemap/core/place"
)

// Named is a record by its kind and name.
type Named struct {
	Kind Kind
	Name string
}

func (n Named) String() string { return fmt.Sprintf("%s %s", n.Kind, n.Name) }

// Gone is a record that is no longer there. Where it has an identifier, another one that
// bears its name stays.
type Gone struct {
	Named
	ID string
}

// Patch is what changes in the records of a directory: some are gone, and others take the
// place of those that are the same, or are new.
type Patch struct {
	Gone []Gone
	Put  Records
	Read time.Time // when the first of it was read; zero: it was not read
}

// Empty says that a patch changes nothing and rejects nothing.
func (p *Patch) Empty() bool {
	return len(p.Gone)+len(p.Put.Users)+len(p.Put.Groups)+len(p.Put.Devices)+len(p.Put.Rejected) == 0
}

// With is the records as a patch makes them. Of several with one name the one that had it
// stays; the others are rejected.
func (r Records) With(p Patch) Records {
	next := Records{Rejected: slices.Clone(p.Put.Rejected)}
	next.Users = users.patched(r.Users, p.Put.Users, p.Gone, &next.Rejected)
	next.Groups = groups.patched(r.Groups, p.Put.Groups, p.Gone, &next.Rejected)
	next.Devices = devices.patched(r.Devices, p.Put.Devices, p.Gone, &next.Rejected)
	next.Resources = r.Resources
	if len(r.Resources) > 0 && len(p.Gone) > 0 || len(p.Put.Resources) > 0 {
		next.Resources = make(map[Named][]byte, len(r.Resources)+len(p.Put.Resources))
		maps.Copy(next.Resources, r.Resources)
		for _, g := range p.Gone {
			delete(next.Resources, g.Named)
		}
		maps.Copy(next.Resources, p.Put.Resources)
	}
	return next
}

func (o of[T]) patched(list, put []*T, gone []Gone, rejected *[]place.Error) []*T {
	left, names := map[string]string{}, sieve{} // identifiers by folded names
	for _, g := range gone {
		if g.Kind == o.kind {
			left[name.Fold(g.Name)] = g.ID
			names.add(name.Fold(g.Name))
		}
	}
	leaves := func(x *T) bool {
		if named := o.named(x); len(left) > 0 && names.may(named) {
			id, is := left[name.Fold(named)]
			return is && (id == "" || o.id(x) == "" || id == o.id(x))
		}
		return false
	}
	if len(put)+len(left) == 0 {
		return list
	}
	fresh := o.index(put)
	used := make(map[*T]bool, len(put))
	out := make([]*T, 0, len(list)+len(put))
	for _, x := range list {
		if now := fresh.as(x); now != nil && !used[now] {
			used[now] = true
			out = append(out, now)
			continue
		}
		if !leaves(x) {
			out = append(out, x)
		}
	}
	for _, x := range put {
		if !used[x] {
			out = append(out, x)
		}
	}
	return o.claimed(list, out, fresh, rejected)
}

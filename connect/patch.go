package connect

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// Named is a record by its kind and name.
type Named struct {
	Kind Kind
	Name string
}

// Patch is what changes in the records of a directory: some are gone, and others
// take the place of those of the same name, or are new.
type Patch struct {
	Gone []Named
	Put  Records
}

// Empty says that a patch changes nothing and rejects nothing.
func (p *Patch) Empty() bool {
	return len(p.Gone)+len(p.Put.Users)+len(p.Put.Groups)+len(p.Put.Devices)+len(p.Put.Rejected) == 0
}

// Drop takes a record away, from those that the patch puts as well.
func (p *Patch) Drop(n Named) {
	p.Gone = append(p.Gone, n)
	is := func(other string) bool { return name.Fold(other) == name.Fold(n.Name) }
	switch n.Kind {
	case User:
		p.Put.Users = slices.DeleteFunc(p.Put.Users, func(u *directory.User) bool { return is(u.Name) })
	case Group:
		p.Put.Groups = slices.DeleteFunc(p.Put.Groups, func(g *directory.Group) bool { return is(g.Name) })
	case Device:
		p.Put.Devices = slices.DeleteFunc(p.Put.Devices, func(d *directory.Device) bool { return is(d.Name) })
	}
}

// Last is the record of a kind that was added last, if it is of the entry with a
// distinguished name.
func (r *Records) Last(k Kind, dn string) Named {
	switch k {
	case User:
		if n := len(r.Users); n > 0 && r.Users[n-1].DN == dn {
			return Named{k, r.Users[n-1].Name}
		}
	case Group:
		if n := len(r.Groups); n > 0 && r.Groups[n-1].DN == dn {
			return Named{k, r.Groups[n-1].Name}
		}
	case Device:
		if n := len(r.Devices); n > 0 && r.Devices[n-1].DN == dn {
			return Named{k, r.Devices[n-1].Name}
		}
	}
	return Named{}
}

// With is the records as a patch makes them.
func (r Records) With(p Patch) Records {
	var gone [Device + 1]map[string]bool
	for k := range gone {
		gone[k] = map[string]bool{}
	}
	for _, n := range p.Gone {
		gone[n.Kind][name.Fold(n.Name)] = true
	}
	return Records{
		Users:    patched(r.Users, p.Put.Users, gone[User], func(u *directory.User) string { return u.Name }),
		Groups:   patched(r.Groups, p.Put.Groups, gone[Group], func(g *directory.Group) string { return g.Name }),
		Devices:  patched(r.Devices, p.Put.Devices, gone[Device], func(d *directory.Device) string { return d.Name }),
		Rejected: p.Put.Rejected,
	}
}

func patched[T any](list, put []*T, gone map[string]bool, named func(*T) string) []*T {
	if len(put)+len(gone) == 0 {
		return list
	}
	by := make(map[string]*T, len(put))
	for _, x := range put {
		by[name.Fold(named(x))] = x
	}
	out := make([]*T, 0, len(list)+len(put))
	for _, x := range list {
		key := name.Fold(named(x))
		if now, ok := by[key]; ok {
			out = append(out, now)
			delete(by, key)
		} else if !gone[key] {
			out = append(out, x)
		}
	}
	for _, x := range put {
		if by[name.Fold(named(x))] == x {
			out = append(out, x)
		}
	}
	return out
}

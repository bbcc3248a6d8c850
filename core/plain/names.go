package plain

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// index finds the records of one kind by what references to them may say (section 3).
type index[T comparable] struct {
	world *World
	full  map[string]T // by folded directory, a slash and the folded name
	dns   map[string][]found[T]
	known map[[2]string]T // by reference and directory: what was found
}

// found is a record that bears a distinguished name, and where.
type found[T any] struct {
	home   string
	record T
}

func newIndex[T comparable](w *World) index[T] {
	return index[T]{w, map[string]T{}, map[string][]found[T]{}, map[[2]string]T{}}
}

func (x index[T]) add(home, named, dn string, record T) {
	x.full[name.Fold(home+"/"+named)] = record
	if canonical, is := name.DN(dn); is {
		x.dns[canonical] = append(x.dns[canonical], found[T]{home, record})
	}
}

// find gives the record that a reference names: in the records of a directory, or, where
// home is "", in a line. It gives none where it names nothing, or several.
func (x index[T]) find(written, home string) T {
	key := [2]string{written, home}
	record, known := x.known[key]
	if !known {
		record = x.look(written, home)
		x.known[key] = record
	}
	return record
}

func (x index[T]) look(written, home string) (none T) {
	if canonical, is := name.DN(written); is {
		return single(x.meant(canonical, home))
	}
	if at, named, quoted := name.Unquote(written); quoted {
		if written = named; at != "" {
			return x.full[name.Fold(at+"/"+named)]
		}
	} else if at, rest, cut := strings.Cut(written, "/"); cut {
		canonical, is := name.DN(rest)
		if !is {
			return x.full[name.Fold(written)]
		}
		return single(slices.DeleteFunc(slices.Clone(x.dns[canonical]),
			func(f found[T]) bool { return !name.Equal(f.home, at) }))
	}
	if home != "" {
		return x.full[name.Fold(home+"/"+written)]
	}
	var all []found[T]
	for _, d := range x.world.m.Directories {
		if record := x.full[name.Fold(d.Name+"/"+written)]; record != none {
			all = append(all, found[T]{d.Name, record})
		}
	}
	return single(all)
}

// meant are the records that a distinguished name may mean. In the records of a directory
// one below its own bases is looked up there alone, and another in the directories below
// whose bases it lies.
func (x index[T]) meant(canonical, home string) []found[T] {
	all := x.dns[canonical]
	if home == "" {
		return all
	}
	own := slices.DeleteFunc(slices.Clone(all), func(f found[T]) bool { return f.home != home })
	if len(own) > 0 || x.world.below(canonical, home) {
		return own
	}
	based := slices.DeleteFunc(slices.Clone(all), func(f found[T]) bool { return !x.world.below(canonical, f.home) })
	if len(based) > 0 {
		return based
	}
	return all
}

func single[T any](all []found[T]) (one T) {
	if len(all) == 1 {
		return all[0].record
	}
	return one
}

// below says whether a distinguished name lies below the bases of a directory: those of its
// source, or what all of its users stand under where that leaves some to the server.
func (w *World) below(canonical, home string) bool {
	for _, d := range w.m.Directories {
		if d.Name != home || d.Source == nil {
			continue
		}
		for _, base := range bases(d) {
			if canonical == base || strings.HasSuffix(canonical, "\x00"+base) {
				return true
			}
		}
	}
	return false
}

func bases(d *directory.Document) (all []string) {
	whole := true
	add := func(list []directory.Base) {
		whole = whole && len(list) > 0
		for _, b := range list {
			if canonical, is := name.DN(b.Value); is {
				all = append(all, canonical)
			}
		}
	}
	if d.Source.Users != nil {
		add(d.Source.Users.Base)
	}
	if d.Source.Groups != nil {
		add(d.Source.Groups.Base)
	}
	if d.Source.Devices != nil {
		add(d.Source.Devices.Base)
	}
	if whole && all != nil {
		return all
	}
	// Parts of names, the last first, as far as all users have them in common.
	var shared []string
	for i, u := range d.Users {
		canonical, is := name.DN(u.DN)
		if !is {
			continue
		}
		parts := strings.Split(canonical, "\x00")
		slices.Reverse(parts)
		parts = parts[:len(parts)-1]
		if i == 0 || shared == nil {
			shared = parts
			continue
		}
		n := 0
		for n < min(len(shared), len(parts)) && shared[n] == parts[n] {
			n++
		}
		shared = shared[:n]
	}
	if len(shared) == 0 {
		return nil
	}
	slices.Reverse(shared)
	return []string{strings.Join(shared, "\x00")}
}

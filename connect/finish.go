package connect

import (
	"maps"
	"slices"

	"gatemap/core/name"
	"gatemap/core/place"
)

// Finish resolves what could not be resolved before all entries were there: primary groups
// by number, and members by a further login name. Of records with one name the first stays.
func (t *Tables) Finish(r *Records) {
	for _, g := range r.Groups {
		if g.Members == nil {
			continue
		}
		for i, ref := range g.Members.Users {
			key := name.Fold(ref.Name)
			if is, known := t.aliases[key]; known && !t.logins[key] {
				g.Members.Users[i].Name = is
			}
		}
	}
	for _, u := range r.Users {
		if dn, ok := t.numbers[u.PrimaryGroup.Name]; ok {
			u.PrimaryGroup.Name = dn
		}
	}
	for _, d := range r.Devices {
		if dn, ok := t.numbers[d.PrimaryGroup.Name]; ok {
			d.PrimaryGroup.Name = dn
		}
	}
	t.tellNumbers(r)
	r.Users = users.single(r.Users, &r.Rejected, &r.waiting.users)
	r.Groups = groups.single(r.Groups, &r.Rejected, &r.waiting.groups)
	r.Devices = devices.single(r.Devices, &r.Rejected, &r.waiting.devices)
}

// tellNumbers tells of numbers that several groups of a reading have: primary groups by such
// a number are the first of them.
func (t *Tables) tellNumbers(r *Records) {
	if len(t.several) == 0 || t.strict {
		return
	}
	at := make(map[string]place.Place, len(r.Groups))
	for _, g := range r.Groups {
		at[g.DN] = g.Place
	}
	for _, n := range slices.Sorted(maps.Keys(t.several)) {
		var here []string
		for _, dn := range append([]string{t.numbers[n]}, t.several[n]...) {
			if _, is := at[dn]; is {
				here = append(here, dn)
			}
		}
		if len(here) > 1 {
			r.reject(at[here[1]], "the number %s is of several groups, %q; a primary group by it is the first", n, here)
		}
	}
}

func (o of[T]) single(list []*T, rejected *[]place.Error, others *[]waiting[T]) []*T {
	first, byID := make(map[string]*T, len(list)), make(map[string]*T, len(list))
	return slices.DeleteFunc(list, func(x *T) bool {
		if same := byID[o.id(x)]; same != nil {
			*rejected = append(*rejected, *o.sameID(x, same))
			return true
		}
		key := name.Fold(o.named(x))
		holder, twice := first[key]
		if !twice {
			first[key] = x
			if id := o.id(x); id != "" {
				byID[id] = x
			}
			return false
		}
		told := *o.twice(x, holder)
		*rejected = append(*rejected, told)
		*others = append(*others, waiting[T]{x, told})
		return true
	})
}

// twice says that a record is rejected because another has its name.
func (o of[T]) twice(x, holder *T) *place.Error {
	at, other := o.place(x), o.place(holder)
	if at == other || at.Line == 0 {
		return place.Errorf(
			at,
			"%s %q is there twice: %q, and %q, which has the name",
			o.kind,
			o.named(x),
			o.dn(x),
			o.dn(holder),
		)
	}
	return place.Errorf(at, "%s %q is there twice, and at %s before", o.kind, o.named(x), other)
}

// sameID says that a record is rejected because another has its identifier.
func (o of[T]) sameID(x, holder *T) *place.Error {
	at, other := o.place(x), o.place(holder)
	if at == other || at.Line == 0 {
		return place.Errorf(at, "%s %q has the identifier %s, and so has %q", o.kind, o.named(x), o.id(x), o.named(holder))
	}
	return place.Errorf(
		at,
		"%s %q has the identifier %s, and so has %q, at %s before",
		o.kind,
		o.named(x),
		o.id(x),
		o.named(holder),
		other,
	)
}

// after is the records as they are to be taken when some were there before: of several with
// one name the one stays that had it.
func (r Records) after(before Records) Records {
	users.prefer(before.Users, &r.Users, &r.Rejected, r.waiting.users)
	groups.prefer(before.Groups, &r.Groups, &r.Rejected, r.waiting.groups)
	devices.prefer(before.Devices, &r.Devices, &r.Rejected, r.waiting.devices)
	return r
}

func (o of[T]) prefer(before []*T, list *[]*T, rejected *[]place.Error, others []waiting[T]) {
	if len(others) == 0 {
		return
	}
	had, now := o.index(before), o.index(*list)
	for _, w := range others {
		key := name.Fold(o.named(w.record))
		was, holder := had.byName[key], now.byName[key]
		if was == nil || holder == nil || o.id(was) == "" || o.id(was) != o.id(w.record) {
			continue
		}
		*list = slices.Clone(*list)
		(*list)[slices.Index(*list, holder)] = w.record
		*rejected = append(
			slices.DeleteFunc(slices.Clone(*rejected), func(e place.Error) bool { return e == w.told }),
			*o.twice(holder, w.record),
		)
	}
}

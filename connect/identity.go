package connect

import (
	"encoding/hex"
	"strings"
	"unicode/utf8"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Identifiers are the attributes by which directory servers identify entries for good
// (entryUUID, RFC 4530), the first that an entry has.
var Identifiers = []string{"entryUUID", "objectGUID"}

// Identity is the immutable identifier of the entry; "" if it tells none.
func (e *Entry) Identity() string {
	if e.id != "" {
		return e.id
	}
	for _, attribute := range Identifiers {
		v := e.First(attribute).Value
		if v == "" {
			continue
		}
		if len(v) == 16 && (!utf8.ValidString(v) || strings.ContainsFunc(v, func(r rune) bool { return r < ' ' })) {
			return hex.EncodeToString([]byte(v))
		}
		return strings.ToLower(v)
	}
	return ""
}

// Identify gives an entry the identifier by which a protocol tells of it.
func (e *Entry) Identify(id string) { e.id = id }

// of are the ways to look at records of one kind.
type of[T any] struct {
	kind  Kind
	named func(*T) string
	id    func(*T) string
	dn    func(*T) string
	place func(*T) place.Place
}

var (
	users = of[directory.User]{User, func(u *directory.User) string { return u.Name }, func(u *directory.User) string { return u.ID },
		func(u *directory.User) string { return u.DN }, func(u *directory.User) place.Place { return u.Place }}
	groups = of[directory.Group]{Group, func(g *directory.Group) string { return g.Name }, func(g *directory.Group) string { return g.ID },
		func(g *directory.Group) string { return g.DN }, func(g *directory.Group) place.Place { return g.Place }}
	devices = of[directory.Device]{Device, func(d *directory.Device) string { return d.Name }, func(d *directory.Device) string { return d.ID },
		func(d *directory.Device) string { return d.DN }, func(d *directory.Device) place.Place { return d.Place }}
)

// same finds, for records of a reading, those of another that are the same: by
// identifier, where the record has one, and else by name. A record with an identifier is
// the same as one without if nothing else has its name.
type same[T any] struct {
	of     of[T]
	byID   map[string]*T
	byName map[string]*T
}

func (o of[T]) index(list []*T) same[T] {
	s := same[T]{o, make(map[string]*T, len(list)), make(map[string]*T, len(list))}
	for _, x := range list {
		if id := o.id(x); id != "" {
			s.byID[id] = x
		}
		s.byName[name.Fold(o.named(x))] = x
	}
	return s
}

// as is the record that is the same as x; nil if there is none.
func (s *same[T]) as(x *T) *T {
	id := s.of.id(x)
	if id != "" {
		if y := s.byID[id]; y != nil {
			return y
		}
	}
	y := s.byName[name.Fold(s.of.named(x))]
	if y != nil && id != "" && s.of.id(y) != "" {
		return nil // another one, which bears the name now
	}
	return y
}

// claimed keeps one record of each name: the one that had it before, else the first. The
// others are rejected, each with the place of the one that stays.
func (o of[T]) claimed(before, list []*T, rejected *[]place.Error) []*T {
	holders := make(map[string]*T, len(list))
	twice := false
	for _, x := range list {
		key := name.Fold(o.named(x))
		_, taken := holders[key]
		twice = twice || taken
		if !taken {
			holders[key] = x
		}
	}
	if !twice {
		return list
	}
	had := o.index(before)
	for _, x := range list {
		key := name.Fold(o.named(x))
		if was := had.byName[key]; was != nil && o.id(was) != "" && o.id(was) == o.id(x) {
			holders[key] = x
		}
	}
	kept := make([]*T, 0, len(list))
	for _, x := range list {
		if holder := holders[name.Fold(o.named(x))]; holder != x {
			*rejected = append(*rejected, *o.twice(x, holder))
			continue
		}
		kept = append(kept, x)
	}
	return kept
}

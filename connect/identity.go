package connect

import (
	"encoding/hex"
	"slices"
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
	users = of[directory.User]{
		User,
		func(u *directory.User) string { return u.Name },
		func(u *directory.User) string { return u.ID },
		func(u *directory.User) string { return u.DN },
		func(u *directory.User) place.Place { return u.Place },
	}
	groups = of[directory.Group]{
		Group,
		func(g *directory.Group) string { return g.Name },
		func(g *directory.Group) string { return g.ID },
		func(g *directory.Group) string { return g.DN },
		func(g *directory.Group) place.Place { return g.Place },
	}
	devices = of[directory.Device]{
		Device,
		func(d *directory.Device) string { return d.Name },
		func(d *directory.Device) string { return d.ID },
		func(d *directory.Device) string { return d.DN },
		func(d *directory.Device) place.Place { return d.Place },
	}
)

// same finds, for records of a reading, those of another that are the same: by
// identifier, where the record has one, and else by name. A record with an identifier is
// the same as one without if nothing else has its name.
type same[T any] struct {
	of     of[T]
	byID   map[string]*T
	byName map[string]*T
	ids    sieve
	names  sieve
}

func (o of[T]) index(list []*T) *same[T] {
	s := &same[T]{of: o, byID: make(map[string]*T, len(list)), byName: make(map[string]*T, len(list))}
	for _, x := range list {
		if id := o.id(x); id != "" {
			s.byID[id] = x
			s.ids.add(id)
		}
		folded := name.Fold(o.named(x))
		s.byName[folded] = x
		s.names.add(folded)
	}
	return s
}

// as is the record that is the same as x; nil if there is none.
func (s *same[T]) as(x *T) *T {
	id := s.of.id(x)
	if id != "" && s.ids.may(id) {
		if y := s.byID[id]; y != nil {
			return y
		}
	}
	y := s.called(s.of.named(x))
	if y != nil && id != "" && s.of.id(y) != "" {
		return nil // another one, which bears the name now
	}
	return y
}

// called is the record that has a name; nil if there is none.
func (s *same[T]) called(named string) *T {
	if !s.names.may(named) {
		return nil
	}
	return s.byName[name.Fold(named)]
}

// sieve says of most texts that are not among a few folded ones that they are not, by their
// last bytes.
type sieve [1 << 12]bool

func (s *sieve) add(folded string) {
	n, _ := mesh(folded)
	s[n] = true
}

func (s *sieve) may(text string) bool {
	n, plain := mesh(text)
	return !plain || s[n]
}

// mesh is a number of the last bytes of a text. It is the same of the folded text where these
// are plain, which is of ASCII: whatever stands before them folds into what stands before.
func mesh(text string) (n uint, plain bool) {
	plain = true
	for i := max(0, len(text)-4); i < len(text); i++ {
		c := text[i]
		plain = plain && c < utf8.RuneSelf
		if 'a' <= c && c <= 'z' {
			c -= 'a' - 'A'
		}
		n = n*31 + uint(c)
	}
	return n % (1 << 12), plain && len(text) >= 4
}

// claimed keeps one record of each name: the one that had it before, else the first. The
// others are rejected, each with the place of the one that stays. Names can be there twice
// only because of what is fresh.
func (o of[T]) claimed(before, list []*T, fresh *same[T], rejected *[]place.Error) []*T {
	if !slices.ContainsFunc(list, func(x *T) bool {
		y := fresh.called(o.named(x))
		return y != nil && y != x
	}) {
		return list
	}
	holders := make(map[string]*T, len(list))
	for _, x := range list {
		key := name.Fold(o.named(x))
		if _, taken := holders[key]; !taken {
			holders[key] = x
		}
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

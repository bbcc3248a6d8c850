package directory

import (
	"encoding/binary"
	"slices"
	"strings"
	"sync"

	"gatemap/core/filter"
	"gatemap/core/parallel"
)

// Partition sorts all users into kinds, which are split further and further. It
// belongs to one goroutine.
type Partition struct {
	of    []uint32 // by user
	count int
	into  []uint32 // by kind, while it is split: where those go who leave it
	known map[split]bool
	book  *Book
}

// split is what a partition was split by.
type split struct {
	book *Book
	ids  string
}

// Partitioned begins a partition by the values of attributes, given by folded name, and
// by the directory.
func (b *Book) Partitioned(attributes []string) *Partition {
	type key string
	s := b.once(key(strings.Join(attributes, "\x00")), func() any {
		// Users who went are of a kind of their own.
		s := &Partition{of: make([]uint32, b.Users()), count: len(b.directories) + 1}
		for u, home := range b.users.home {
			if s.of[u] = uint32(home); b.users.went(uint32(u)) {
				s.of[u] = uint32(len(b.directories))
			}
		}
		s.Further(b, attributes)
		return s
	}).(*Partition)
	room := rooms.Get().(*[]uint32)
	return &Partition{of: append((*room)[:0], s.of...), count: s.count, known: map[split]bool{}, book: b}
}

// rooms is memory for sortings, which are as long as there are users.
var rooms = sync.Pool{New: func() any { return new([]uint32) }}

// Drop gives the memory of the sorting back: neither it nor the kinds of users that it
// gave are to be used after that.
func (s *Partition) Drop() {
	of := s.of
	s.of = nil
	rooms.Put(&of)
}

// Further splits every kind by the values of attributes in a book.
func (s *Partition) Further(b *Book, attributes []string) {
	for _, a := range attributes {
		c := b.column(a)
		s.of, s.count = paired(s.of, s.count, c.of, len(c.distinct))
	}
}

// Without lists the users who have no value of an attribute, by its folded name,
// or those who have one, whichever are fewer. It is computed once.
func (b *Book) Without(attribute string) []UserID {
	type key string
	return b.once(key(attribute), func() any {
		lacking := b.Lacking(attribute)
		if len(lacking) <= b.UserCount()/2 {
			return lacking
		}
		return slices.DeleteFunc(b.Everyone(), func(u UserID) bool { // both are in the same order
			next := len(lacking) > 0 && lacking[0] == u
			if next {
				lacking = lacking[1:]
			}
			return next
		})
	}).([]UserID)
}

// Lacking are the users who have no value of an attribute, by its folded name, in the order of
// AllUsers. It is computed once.
func (b *Book) Lacking(attribute string) []UserID {
	type key string
	return b.once(key(attribute), func() any {
		return slices.Concat(inPieces(b.Everyone(), func(users []UserID) (lacking []UserID) {
			for _, u := range users {
				if b.Lacks(u, attribute) {
					lacking = append(lacking, u)
				}
			}
			return lacking
		})...)
	}).([]UserID)
}

// Parted lists the users whose values of an attribute, by its folded name, fit,
// or the others, whichever are fewer. It asks once for users who have the same, with
// values that hold until the next time.
func (b *Book) Parted(attribute string, fits func([]filter.Value) bool) []UserID {
	c := b.column(attribute)
	does := make([]bool, len(c.distinct))
	parallel.For(len(does), 4096, func(from, to int) {
		plain := make([]filter.Value, 1) // holds until the next
		for n := from; n < to; n++ {
			if t := c.distinct[n]; t != "" && t[0] != 0 {
				plain[0].Text = t
				does[n] = fits(plain)
			} else {
				does[n] = fits(b.Values(c.first[n], attribute))
			}
		}
	})
	count := 0
	for _, n := range c.of {
		if does[n] {
			count++
		}
	}
	which := count <= len(c.of)/2
	users := make([]UserID, 0, min(count, len(c.of)-count))
	for u, n := range c.of {
		if does[n] == which && b.HasUser(UserID(u)) {
			users = append(users, UserID(u))
		}
	}
	return users
}

// Split takes the members of groups of a book, at whatever level, together with
// some users, apart from the others of their kind.
func (s *Partition) Split(b *Book, groups []GroupID, users []UserID) {
	if len(groups)+len(users) == 0 || len(users) < 100 && s.again(b, groups, users) {
		return
	}
	for len(s.into) < s.count {
		s.into = append(s.into, none)
	}
	before := s.count
	var left []uint32
	move := func(u UserID) {
		if int(u) >= len(s.of) {
			return // one who came later
		}
		kind := s.of[u]
		if int(kind) >= before {
			return // moved already
		}
		if s.into[kind] == none {
			s.into[kind] = uint32(s.count)
			s.count++
			left = append(left, kind)
		}
		s.of[u] = s.into[kind]
	}
	for _, u := range users {
		move(u)
	}
	for g := range b.under(groups) {
		for _, l := range b.groupUsers.at(uint32(g)) {
			move(l.user())
		}
	}
	for _, kind := range left {
		s.into[kind] = none
	}
	if s.count > 2*len(s.of)+1024 {
		s.number()
	}
}

// again says whether the users were split by the same already.
func (s *Partition) again(b *Book, groups []GroupID, users []UserID) bool {
	key := binary.AppendUvarint(nil, uint64(len(groups)))
	for _, g := range groups {
		key = binary.AppendUvarint(key, uint64(g))
	}
	for _, u := range users {
		key = binary.AppendUvarint(key, uint64(u))
	}
	by := split{b, string(key)}
	known := s.known[by]
	s.known[by] = true
	return known
}

// number numbers the kinds that are left, in the order of the first user of
// each, and gives these.
func (s *Partition) number() (firsts []UserID) {
	numbers := make([]uint32, s.count) // one more than the number
	for u, kind := range s.of {
		if kind == none {
			continue
		}
		if numbers[kind] == 0 {
			firsts = append(firsts, UserID(u))
			numbers[kind] = uint32(len(firsts))
		}
		s.of[u] = numbers[kind] - 1
	}
	s.count = len(firsts)
	return firsts
}

// Firsts gives the kinds as they are now: the first user of each, and the kind of every
// user, which is NoKind of those who went. The sorting is done with that.
func (s *Partition) Firsts() (firsts []UserID, of []uint32) {
	s.dismiss()
	return s.number(), s.of
}

// NoKind is the kind of users who are there no longer.
const NoKind = none

// Kinds gives the kinds as they are now, with all their users. The sorting is done with
// that.
func (s *Partition) Kinds() *Kinds {
	s.dismiss()
	s.number()
	return newKinds(s.of, s.count)
}

// dismiss takes those who went out of all kinds.
func (s *Partition) dismiss() {
	if late := s.book.users.late; late != nil {
		for n := range late.gone {
			s.of[n] = none
		}
	}
}

package atlas

import (
	"encoding/binary"
	"math/bits"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
)

// lookout is what a system, with all that stands in front of it, looks at in a
// user: two users who are alike in it are answered alike, but for the paths.
type lookout struct {
	systems []*System
	kinds   *directory.Kinds // by the attributes that matter
	// touched are the users whom a line names in any way. All others of one
	// kind are answered alike.
	touched []uint64
	groups  []directory.GroupID // that matter by themselves, in order
	apart   map[directory.UserID]bool
}

// lookout is worked out once for a book.
func (a *Atlas) lookout(s *System) *lookout {
	return a.Book.Once(s, func() any { return a.newLookout(s) }).(*lookout)
}

func (a *Atlas) newLookout(s *System) *lookout {
	l := &lookout{systems: s.looks, apart: map[directory.UserID]bool{}}
	attributes := []string{"ACTIVE", "EXPIRES"}
	var groups []directory.GroupID
	var users []directory.UserID
	for _, x := range s.looks {
		groups = slices.AppendSeq(groups, x.Site.Roster.Groups)
		users = slices.AppendSeq(users, x.Site.Roster.Users)
		attributes = append(attributes, x.requires...)
		if g, ok := x.Gate.(gate.Heedful); ok {
			heed := g.Heeds(a.Book)
			attributes = append(attributes, heed.Attributes...)
			l.groups = append(l.groups, heed.Groups...)
			for _, u := range heed.Apart {
				l.apart[u] = true
			}
			users = append(users, heed.Apart...)
		}
	}
	slices.Sort(l.groups)
	l.groups = slices.Compact(l.groups)
	slices.Sort(attributes)
	l.kinds = a.Book.Kinds(slices.Compact(attributes))
	l.touched = a.Book.Mark(slices.Concat(groups, l.groups), users)
	return l
}

// looks lists a system and all that it needs answers from.
func (a *Atlas) looks(s *System) []*System {
	all := []*System{s}
	for i := 0; i < len(all); i++ {
		for _, ref := range a.leans(all[i]) {
			if other, err := a.System(ref.Name); err == nil && !slices.Contains(all, other) {
				all = append(all, other)
			}
		}
	}
	return all
}

// key appends what is looked at in the subject of a question: equal keys are
// answered alike.
func (l *lookout) key(b []byte, q *gate.Question) []byte {
	u := q.Subject.ID
	b = binary.LittleEndian.AppendUint32(b, l.kinds.Of(u))
	for _, s := range l.systems {
		for _, word := range q.Held(&s.Site.Roster) {
			b = binary.LittleEndian.AppendUint64(b, word)
		}
	}
	if len(l.groups) > 0 {
		for _, g := range q.Subject.Groups() {
			if _, matters := slices.BinarySearch(l.groups, g); matters {
				b = binary.LittleEndian.AppendUint32(b, uint32(g))
			}
		}
	}
	if l.apart[u] {
		b = append(b, 1)
		b = binary.LittleEndian.AppendUint32(b, uint32(u))
	}
	return b
}

func (l *lookout) touches(u directory.UserID) bool { return l.touched[u/64]&(1<<(u%64)) != 0 }

// named yields the touched users of a stretch of words, in order.
func (l *lookout) named(from, to int) func(func(directory.UserID) bool) {
	return func(yield func(directory.UserID) bool) {
		for w := from; w < to; w++ {
			for word := l.touched[w]; word != 0; word &= word - 1 {
				if !yield(directory.UserID(w*64 + bits.TrailingZeros64(word))) {
					return
				}
			}
		}
	}
}

// rest lists the users of a kind whom no line names.
func (l *lookout) rest(kind int) []directory.UserID {
	var users []directory.UserID
	for _, u := range l.kinds.Users(kind) {
		if !l.touches(u) {
			users = append(users, u)
		}
	}
	return users
}

package atlas

import (
	"encoding/binary"
	"iter"
	"math/bits"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/parallel"
	"gatemap/core/situation"
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

// lookout is what a system looks at for one point, or, without one, for
// anything. It is worked out once for a book.
func (a *Atlas) lookout(s *System, p gate.Point) *lookout {
	type key struct {
		system *System
		facet  any
	}
	k := key{system: s}
	if g, ok := s.Gate.(gate.Heedful); ok && p != nil {
		if f := g.Heeds(a.Book, p).Facet; f != nil {
			k.facet = f.Key
		}
	}
	if k.facet == nil {
		p = nil
	}
	return a.Book.Once(k, func() any { return a.newLookout(s, p) }).(*lookout)
}

// gathering is a lookout that is being put together.
type gathering struct {
	*lookout
	atlas      *Atlas
	attributes []string
	named      []directory.GroupID
	users      []directory.UserID
	facets     []*gate.Facet
}

func (a *Atlas) newLookout(s *System, p gate.Point) *lookout {
	g := &gathering{lookout: &lookout{apart: map[directory.UserID]bool{}}, atlas: a, attributes: []string{"ACTIVE", "EXPIRES"}}
	g.look(s, p)
	l := g.lookout
	slices.Sort(l.groups)
	l.groups = slices.Compact(l.groups)
	slices.Sort(g.attributes)
	var columns []*directory.Column
	for _, f := range g.facets {
		columns = append(columns, a.column(f))
	}
	l.kinds = a.Book.Kinds(slices.Compact(g.attributes), columns...)
	l.touched = a.Book.Mark(slices.Concat(g.named, l.groups), g.users)
	return l
}

// look adds what a system looks at, with all that stands in front of it.
func (g *gathering) look(s *System, p gate.Point) {
	g.attributes = append(g.attributes, s.requires...)
	for i := range s.front {
		g.front(&s.front[i])
	}
	if heedful, ok := s.Gate.(gate.Heedful); ok {
		heed := heedful.Heeds(g.atlas.Book, p)
		if heed.Facet != nil {
			g.facets = append(g.facets, heed.Facet)
			return
		}
		g.attributes = append(g.attributes, heed.Attributes...)
		g.groups = append(g.groups, heed.Groups...)
		g.users = append(g.users, heed.Apart...)
		for _, u := range heed.Apart {
			g.apart[u] = true
		}
	}
	if slices.Contains(g.systems, s) {
		return
	}
	g.systems = append(g.systems, s)
	roster := &s.Site.Roster
	g.named, g.users = slices.AppendSeq(g.named, roster.Groups), slices.AppendSeq(g.users, roster.Users)
	if f := roster.Claiming(); f != nil {
		g.facets = append(g.facets, f)
	}
}

func (g *gathering) front(f *front) {
	for i := range f.any {
		g.front(&f.any[i])
	}
	if f.point != nil {
		g.look(f.system, f.point)
	}
}

// column works a facet out for everyone, once for a book.
func (a *Atlas) column(f *gate.Facet) *directory.Column {
	type key struct{ facet any }
	return a.Book.Once(key{f.Key}, func() any {
		users := a.Book.Users()
		written := make([]string, users)
		known := a.Frame.Facts(situation.Situation{}, nil)
		parallel.For(users, 4096, func(from, to int) {
			q := a.Brief(known)
			seen := map[string]string{}
			var b []byte
			for u := from; u < to; u++ {
				q.Turn(directory.UserID(u))
				b = f.Of(q, b[:0])
				text, again := seen[string(b)]
				if !again {
					text = string(b)
					seen[text] = text
				}
				written[u] = text
			}
		})
		numbers := map[string]uint32{}
		c := &directory.Column{Of: make([]uint32, users)}
		for u, text := range written {
			n, again := numbers[text]
			if !again {
				n = uint32(len(numbers))
				numbers[text] = n
			}
			c.Of[u] = n
		}
		c.Count = len(numbers)
		return c
	}).(*directory.Column)
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

// rest yields the users of a kind whom no line names, in order.
func (l *lookout) rest(kind int) iter.Seq[directory.UserID] {
	return func(yield func(directory.UserID) bool) {
		for _, u := range l.kinds.Users(kind) {
			if !l.touches(u) && !yield(u) {
				return
			}
		}
	}
}

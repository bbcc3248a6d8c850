package atlas

import (
	"gatemap/core/directory"
	"gatemap/core/rule"
)

// touch finds the lines of all systems that name a subject, in one pass over its
// groups: by group, and by user. A line is a bit in a sheet on which the systems lie
// one after the other.
type touch struct {
	from   []uint32  // by system: its first word on the sheet; one more than there are
	system []uint16  // by word: whose it is
	base   []uint64  // the lines that are for everyone
	loud   rule.Held // by bit: the systems in which one may hold something whom no line names
	start  []uint32  // by group, one more than there are: where its bits begin
	bits   []uint32
	users  map[directory.UserID][]uint32
}

func newTouch(a *Atlas) *touch {
	t := &touch{start: make([]uint32, a.Book.Groups()+1), users: map[directory.UserID][]uint32{}}
	t.loud = make(rule.Held, len(a.Systems)/64+1)
	for i, s := range a.Systems {
		if !s.quiet {
			t.loud.Put(uint32(i))
		}
		t.from = append(t.from, uint32(len(t.base)))
		for range s.Site.Index.Words() {
			t.system, t.base = append(t.system, uint16(i)), append(t.base, 0)
		}
	}
	t.from = append(t.from, uint32(len(t.base)))
	t.each(a, func(c *rule.Naming, bit uint32) {
		if c.Everyone {
			t.base[bit/64] |= 1 << (bit % 64)
		}
		for _, g := range c.Groups {
			t.start[g+1]++
		}
		for _, u := range c.Users {
			t.users[u] = append(t.users[u], bit)
		}
	})
	for g := range a.Book.Groups() {
		t.start[g+1] += t.start[g]
	}
	t.bits = make([]uint32, t.start[a.Book.Groups()])
	next := make([]uint32, a.Book.Groups())
	t.each(a, func(c *rule.Naming, bit uint32) {
		for _, g := range c.Groups {
			t.bits[t.start[g]+next[g]] = bit
			next[g]++
		}
	})
	return t
}

// each visits the rules that may have somebody, with their bits.
func (t *touch) each(a *Atlas, visit func(*rule.Naming, uint32)) {
	for i, s := range a.Systems {
		named := s.Site.Index.Naming()
		for j := range named {
			visit(&named[j], t.from[i]*64+named[j].Number)
		}
	}
}

// mark fills a sheet with the lines that name the subject, claims and exceptions
// aside, and marks the systems in which the subject may hold something: a bit for each.
func (t *touch) mark(q *rule.Question, sheet, systems []uint64) {
	copy(sheet, t.base)
	copy(systems, t.loud)
	put := func(bits []uint32) {
		for _, bit := range bits {
			sheet[bit/64] |= 1 << (bit % 64)
			s := t.system[bit/64]
			systems[s/64] |= 1 << (s % 64)
		}
	}
	for _, g := range q.Subject.Groups() {
		if int(g)+1 >= len(t.start) {
			break // these came later, and no line names them
		}
		put(t.bits[t.start[g]:t.start[g+1]])
	}
	put(t.users[q.Subject.ID])
}

// of is the part of a sheet that belongs to a system.
func (t *touch) of(sheet []uint64, system uint32) rule.Held {
	return sheet[t.from[system]:t.from[system+1]]
}

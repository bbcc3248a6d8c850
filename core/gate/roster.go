package gate

import (
	"iter"
	"math/bits"

	"gatemap/core/directory"
)

// Roster finds the lines of one system that are for a subject, by the groups
// that they name: a question touches only those that can match. It is filled
// in once all systems are compiled.
type Roster struct {
	crowds    []*Crowd
	always    []uint64          // a bit for each crowd: those for everyone
	groups    ByGroup[[]uint32] // the crowds that name a group
	users     map[directory.UserID][]uint32
	sieve     [8]uint64 // a bit for several users, of whom one may be among these
	excepting Held      // a bit for each crowd: those that except somebody
	claiming  []*Crowd
}

// enter gives a new crowd its number.
func (r *Roster) enter(c *Crowd) *Crowd {
	c.roster, c.number = r, uint32(len(r.crowds))
	r.crowds = append(r.crowds, c)
	return c
}

// seal makes the indices. Crowds that a lost name has broken have nobody.
func (r *Roster) seal(groups int) {
	r.always = make([]uint64, len(r.crowds)/64+1)
	r.users = map[directory.UserID][]uint32{}
	byGroup := map[directory.GroupID][]uint32{}
	r.excepting, r.claiming = nil, nil
	for _, c := range r.crowds {
		if c.wreck() {
			continue
		}
		if c.Everyone {
			put(r.always, c.number)
		}
		for _, g := range c.Groups {
			byGroup[g] = append(byGroup[g], c.number)
		}
		for _, u := range c.Users {
			r.users[u] = append(r.users[u], c.number)
			put(r.sieve[:], uint32(u)*spread>>23)
		}
		if c.Excepts() {
			r.excepting.Add(c)
		}
		if len(c.claims) > 0 {
			r.claiming = append(r.claiming, c)
		}
	}
	r.groups = NewByGroup(groups, byGroup)
}

func put(bits []uint64, i uint32)      { bits[i/64] |= 1 << (i % 64) }
func has(bits []uint64, i uint32) bool { return bits[i/64]&(1<<(i%64)) != 0 }

// hold sets the bits of the crowds that have the subject.
func (r *Roster) hold(q *Question, held []uint64) {
	copy(held, r.always)
	for crowds := range r.groups.Among(q.Subject.Groups()) {
		for _, c := range crowds {
			put(held, c)
		}
	}
	if u := q.Subject.ID; has(r.sieve[:], uint32(u)*spread>>23) {
		for _, c := range r.users[u] {
			put(held, c)
		}
	}
	r.settle(q, held)
}

// settle adds those crowds that have the subject by a claim, and drops those that
// except it.
func (r *Roster) settle(q *Question, held []uint64) {
	for _, c := range r.claiming {
		if !has(held, c.number) && c.byClaim(q) {
			put(held, c.number)
		}
	}
	for n := range Held(held).Among(r.excepting) {
		if r.crowds[n].excepted(q.Subject) {
			Held(held).Drop(n)
		}
	}
}

// Words is how many words the bits of all crowds take.
func (r *Roster) Words() int { return len(r.always) }

// All lists the crowds, and Some those of some lines, in order.
func (r *Roster) All() []*Crowd { return r.crowds }

func (r *Roster) Some(lines Held) []*Crowd {
	var some []*Crowd
	for n := range lines.All() {
		some = append(some, r.crowds[n])
	}
	return some
}

// Quiet says that no line has anyone but those whom it names by groups, or in
// person: nobody comes in as everyone, or by a claim.
func (r *Roster) Quiet(lines Held) bool { return len(r.claiming) == 0 && !Held(r.always).Meets(lines) }

// Groups yields the groups that crowds name or except, each at least once.
func (r *Roster) Groups(yield func(directory.GroupID) bool) {
	for _, c := range r.crowds {
		for _, list := range [][]directory.GroupID{c.Groups, c.except.Groups} {
			for _, g := range list {
				if !yield(g) {
					return
				}
			}
		}
	}
}

// Candidates lists users among whom all are whom some crowd has: those in its
// groups and those whom it names, or everyone where it asks for more.
func Candidates(book *directory.Book, crowds []*Crowd) []directory.UserID {
	var groups []directory.GroupID
	var users []directory.UserID
	for _, c := range crowds {
		if c.Everyone || len(c.claims) > 0 {
			return book.Everyone()
		}
		groups, users = append(groups, c.Groups...), append(users, c.Users...)
	}
	return book.Among(groups, users)
}

// Held is a bit for each crowd of a roster: whether it has the subject.
type Held []uint64

// Add notes a crowd, in a set that is compiled: of the lines about one thing.
func (h *Held) Add(c *Crowd) {
	for len(*h) <= int(c.number/64) {
		*h = append(*h, 0)
	}
	put(*h, c.number)
}

// Join notes the crowds of another set.
func (h *Held) Join(other Held) {
	for w, word := range other {
		if w == len(*h) {
			*h = append(*h, 0)
		}
		(*h)[w] |= word
	}
}

// Meets says whether the subject is in any of some crowds.
func (h Held) Meets(some Held) bool {
	for w, word := range some {
		if word&h[w] != 0 {
			return true
		}
	}
	return false
}

// Among yields the numbers of those of some crowds that the subject is in, in
// the order in which they were compiled.
func (h Held) Among(some Held) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for w, word := range some {
			for both := word & h[w]; both != 0; both &= both - 1 {
				if !yield(uint32(w*64 + bits.TrailingZeros64(both))) {
					return
				}
			}
		}
	}
}

// All yields the numbers in a set.
func (h Held) All() iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for w, word := range h {
			for ; word != 0; word &= word - 1 {
				if !yield(uint32(w*64 + bits.TrailingZeros64(word))) {
					return
				}
			}
		}
	}
}

// Has says whether the subject is in the crowd of that number.
func (h Held) Has(number uint32) bool { return has(h, number) }

// Includes says whether a set that is compiled has the crowd of that number.
func (h Held) Includes(number uint32) bool { return int(number/64) < len(h) && has(h, number) }

// Put sets the bit of a number.
func (h Held) Put(number uint32) { put(h, number) }

// Drop clears the bit of a number.
func (h Held) Drop(number uint32) { h[number/64] &^= 1 << (number % 64) }

// recent is how many rosters a question remembers, besides that which was given.
const recent = 4

// marks are what a question has found out about the rosters that it met last.
type marks struct {
	last   known // that was asked for last
	given  known // that was given
	recent [recent]known
	next   int
	words  []uint64 // where the bits lie
}

// known is a roster with the crowds of it that have the subject.
type known struct {
	roster *Roster
	held   Held
}

func (m *marks) clear() {
	m.last, m.given, m.recent = known{}, known{}, [recent]known{}
	m.words = m.words[:0]
}

// Held says which crowds of a roster have the subject.
func (q *Question) Held(r *Roster) Held {
	if q.marks.last.roster != r {
		q.marks.last = q.marks.of(q, r)
	}
	return q.marks.last.held
}

func (m *marks) of(q *Question, r *Roster) known {
	if m.given.roster == r {
		return m.given
	}
	for _, k := range m.recent {
		if k.roster == r {
			return k
		}
	}
	k := known{r, q.Words(len(r.always))}
	r.hold(q, k.held)
	m.recent[m.next] = k
	m.next = (m.next + 1) % recent
	return k
}

// Give says which crowds of a roster have the subject, claims and exceptions aside, to
// spare the question looking for them.
func (q *Question) Give(r *Roster, held Held) {
	r.settle(q, held)
	q.marks.given = known{r, held}
	q.marks.last = q.marks.given
}

// Words gives n words of scratch memory, all zero, until the question turns to
// another subject.
func (q *Question) Words(n int) []uint64 {
	m := &q.marks
	from := len(m.words)
	if from+n > cap(m.words) {
		m.words = make([]uint64, 0, max(64, 2*cap(m.words), n))
		from = 0
	}
	m.words = m.words[:from+n]
	clear(m.words[from:])
	return m.words[from : from+n : from+n]
}

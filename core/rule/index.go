package rule

import (
	"iter"
	"math/bits"

	"gatemap/core/directory"
)

// Index finds the lines of one system that are for a subject, by the groups
// that they name: a question touches only those that can match. It is filled
// in once all systems are compiled.
type Index struct {
	rules     []*Rule
	slab      []Rule            // where the last of them lie
	always    []uint64          // a bit for each rule: those for everyone
	groups    ByGroup[[]uint32] // the rules that name a group
	users     map[directory.UserID][]uint32
	sieve     [8]uint64 // a bit for several users, of whom one may be among these
	excepting LineSet   // a bit for each rule: those that except somebody
	claiming  []*Rule
}

// Enter gives a new rule its number, and its place beside the others.
func (r *Index) Enter(c Rule) *Rule {
	c.index, c.number = r, uint32(len(r.rules))
	if len(r.slab) == cap(r.slab) {
		r.slab = make([]Rule, 0, max(4, min(len(r.rules), 256)))
	}
	r.slab = append(r.slab, c)
	r.rules = append(r.rules, &r.slab[len(r.slab)-1])
	return r.rules[c.number]
}

// Seal makes the indices, once all systems are compiled. Rules that a lost name has broken have nobody.
func (r *Index) Seal(groups int) {
	r.always = make([]uint64, len(r.rules)/64+1)
	r.users = map[directory.UserID][]uint32{}
	byGroup := map[directory.GroupID][]uint32{}
	r.excepting, r.claiming = LineSet{}, nil
	for _, c := range r.rules {
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
		if len(c.Claims) > 0 {
			r.claiming = append(r.claiming, c)
		}
	}
	r.groups = NewByGroup(groups, byGroup)
}

func put(bits []uint64, i uint32)      { bits[i/64] |= 1 << (i % 64) }
func has(bits []uint64, i uint32) bool { return bits[i/64]&(1<<(i%64)) != 0 }

// hold sets the bits of the rules that have the subject.
func (r *Index) hold(q *Question, held []uint64) {
	copy(held, r.always)
	for numbers := range r.groups.Among(q.Subject.Groups()) {
		for _, c := range numbers {
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

// settle adds those rules that have the subject by a claim, and drops those that
// except it.
func (r *Index) settle(q *Question, held []uint64) {
	for _, c := range r.claiming {
		if !has(held, c.number) && c.byClaim(q) {
			put(held, c.number)
		}
	}
	for n := range Held(held).Among(r.excepting) {
		if r.rules[n].excepted(q.Subject) {
			Held(held).Drop(n)
		}
	}
}

// Words is how many words the bits of all rules take.
func (r *Index) Words() int { return len(r.always) }

// All lists the rules, and Some those of some lines, in order.
func (r *Index) All() []*Rule { return r.rules }

func (r *Index) Some(lines LineSet) []*Rule {
	var some []*Rule
	for n := range lines.All() {
		some = append(some, r.rules[n])
	}
	return some
}

// Quiet says that no line has anyone but those whom it names by groups, or in
// person: nobody comes in as everyone, or by a claim.
func (r *Index) Quiet(lines LineSet) bool {
	return len(r.claiming) == 0 && !Held(r.always).Meets(lines)
}

// Groups yields the groups that rules name or except, each at least once.
func (r *Index) Groups(yield func(directory.GroupID) bool) {
	for _, c := range r.rules {
		for _, list := range [][]directory.GroupID{c.Groups, c.Except.Groups} {
			for _, g := range list {
				if !yield(g) {
					return
				}
			}
		}
	}
}

// Candidates lists users among whom all are whom some rule has: those in its
// groups and those whom it names, or everyone where it asks for more.
func Candidates(book *directory.Book, rules []*Rule) []directory.UserID {
	var groups []directory.GroupID
	var users []directory.UserID
	for _, c := range rules {
		if c.Tested {
			from, everyone := c.Only.From()
			if everyone {
				return book.Everyone()
			}
			users = append(users, Candidates(book, from)...)
			continue
		}
		if c.Everyone || len(c.Claims) > 0 {
			return book.Everyone()
		}
		groups, users = append(groups, c.Groups...), append(users, c.Users...)
	}
	return book.Among(groups, users)
}

// Held is a bit for each rule of an index: whether its principals have the subject.
type Held []uint64

// Has says whether the rule of that number is for the subject.
func (h Held) Has(number uint32) bool { return has(h, number) }

// Put sets the bit of a number, and Drop clears it.
func (h Held) Put(number uint32)  { put(h, number) }
func (h Held) Drop(number uint32) { h[number/64] &^= 1 << (number % 64) }

// join sets the bits of a set.
func (h Held) join(s LineSet) {
	for w, word := range s.words {
		h[s.from+w] |= word
	}
}

// Meets says whether the subject is in any of some rules.
func (h Held) Meets(some LineSet) bool {
	for w, word := range some.words {
		if word&h[some.from+w] != 0 {
			return true
		}
	}
	return false
}

// Among yields the numbers of those of some rules that are for the subject, in the order
// in which they were compiled.
func (h Held) Among(some LineSet) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for w, word := range some.words {
			for both := word & h[some.from+w]; both != 0; both &= both - 1 {
				if !yield(uint32((some.from+w)*64 + bits.TrailingZeros64(both))) {
					return
				}
			}
		}
	}
}

// Between yields the bits from one number to before another.
func (h Held) Between(from, to uint32) iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for n := from; n < to; {
			word := h[n/64] >> (n % 64)
			if word == 0 {
				n = (n/64 + 1) * 64
				continue
			}
			n += uint32(bits.TrailingZeros64(word))
			if n < to && !yield(n) {
				return
			}
			n++
		}
	}
}

// LineSet is a set of rules of one index, by their numbers. The zero LineSet is empty.
type LineSet struct {
	from  int // the number of the first word
	words []uint64
}

// Lines is the set of some rules.
func Lines(rules ...*Rule) LineSet {
	var s LineSet
	for _, r := range rules {
		s.Add(r)
	}
	return s
}

// Empty says that there are none.
func (s LineSet) Empty() bool { return len(s.words) == 0 }

// Add notes a rule.
func (s *LineSet) Add(r *Rule) { s.put(r.number) }

func (s *LineSet) put(number uint32) {
	w := int(number / 64)
	if len(s.words) == 0 {
		s.from = w
	}
	for ; w < s.from; s.from-- {
		s.words = append([]uint64{0}, s.words...)
	}
	for len(s.words) <= w-s.from {
		s.words = append(s.words, 0)
	}
	s.words[w-s.from] |= 1 << (number % 64)
}

// Join notes the rules of another set.
func (s *LineSet) Join(other LineSet) {
	for n := range other.All() {
		s.put(n)
	}
}

// All yields the numbers in a set.
func (s LineSet) All() iter.Seq[uint32] {
	return func(yield func(uint32) bool) {
		for w, word := range s.words {
			for ; word != 0; word &= word - 1 {
				if !yield(uint32((s.from+w)*64 + bits.TrailingZeros64(word))) {
					return
				}
			}
		}
	}
}

// Includes says whether the rule of that number is in the set.
func (s LineSet) Includes(number uint32) bool {
	w := int(number/64) - s.from
	return w >= 0 && w < len(s.words) && s.words[w]&(1<<(number%64)) != 0
}

// Shares says whether two sets have a rule in common.
func (s LineSet) Shares(other LineSet) bool {
	for n := range s.All() {
		if other.Includes(n) {
			return true
		}
	}
	return false
}

// recent is how many indices a question remembers, besides that which was given.
const recent = 4

// marks are what a question has found out about the indices that it met last.
type marks struct {
	last   known // that was asked for last
	given  known // that was given
	recent [recent]known
	next   int
	words  []uint64 // where the bits lie

	deriver Deriver // what was worked out last
	derived Held
}

// Deriver works out something about a subject, as bits.
type Deriver interface{ Derive(q *Question, into Held) }

// Derived gives what is worked out about the subject, in so many words: once, where it is
// asked for again before anything else.
func (q *Question) Derived(d Deriver, words int) Held {
	if q.marks.deriver != d {
		bits := Held(q.Words(words))
		d.Derive(q, bits)
		q.marks.deriver, q.marks.derived = d, bits
	}
	return q.marks.derived
}

// known is an index with the rules of it that have the subject.
type known struct {
	index *Index
	held  Held
}

func (m *marks) clear() {
	m.last, m.given, m.recent = known{}, known{}, [recent]known{}
	m.deriver, m.derived = nil, nil
	m.words = m.words[:0]
}

// LineSet says which rules of an index have the subject.
func (q *Question) Held(r *Index) Held {
	if q.marks.last.index != r {
		q.marks.last = q.marks.of(q, r)
	}
	return q.marks.last.held
}

func (m *marks) of(q *Question, r *Index) known {
	if m.given.index == r {
		return m.given
	}
	for _, k := range m.recent {
		if k.index == r {
			return k
		}
	}
	k := known{r, q.Words(len(r.always))}
	r.hold(q, k.held)
	m.recent[m.next] = k
	m.next = (m.next + 1) % recent
	return k
}

// Give says which rules of an index have the subject, claims and exceptions aside, to
// spare the question looking for them.
func (q *Question) Give(r *Index, held Held) {
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

package rule

import (
	"iter"

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
	narrow    Narrower
	naming    []Naming
}

// Naming is whom a rule names, of one that may have somebody: side by side for those who go
// through all rules of a map.
type Naming struct {
	Number   uint32
	Everyone bool
	Groups   []directory.GroupID
	Users    []directory.UserID
}

// Narrower says of many rules of an index at once whether their Only holds.
type Narrower interface {
	// Narrow drops those for which it does not, of the rules whose principals have the subject.
	Narrow(q *Question, held Held)
}

// NarrowBy sets what narrows the rules, so that these need not be looked at one by one.
func (r *Index) NarrowBy(by Narrower) { r.narrow = by }

// Naming lists whom the rules name.
func (r *Index) Naming() []Naming { return r.naming }

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
	r.excepting, r.claiming, r.naming = LineSet{}, nil, make([]Naming, 0, len(r.rules))
	for _, c := range r.rules {
		if c.wreck() {
			continue
		}
		if !c.Nobody() {
			r.naming = append(r.naming, Naming{c.number, c.Everyone, c.Groups, c.Users})
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
	if r.narrow != nil {
		r.narrow.Narrow(q, held)
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

// about yields those of some rules that are for the subject, with what else they ask for, by
// the bits of those whose principals have it.
func (r *Index) about(q *Question, held Held, some LineSet) iter.Seq[*Rule] {
	return func(yield func(*Rule) bool) {
		for n := range held.Among(some) {
			if x := r.rules[n]; x.fits(q) && !yield(x) {
				return
			}
		}
	}
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
	groups, users, everyone := Among(rules...)
	if everyone {
		return book.Everyone()
	}
	return book.Among(groups, users)
}

// Among are the groups and users among whom all are whom some rules have, if not everyone may
// be one of these.
func Among(rules ...*Rule) (groups []directory.GroupID, users []directory.UserID, everyone bool) {
	for _, r := range rules {
		named, persons, all := r.Groups, r.Users, r.Everyone || len(r.Claims) > 0
		if r.Tested {
			var from []*Rule
			if from, all = r.Only.From(); !all {
				named, persons, all = Among(from...)
			}
		}
		if all {
			return nil, nil, true
		}
		groups, users = append(groups, named...), append(users, persons...)
	}
	return groups, users, false
}

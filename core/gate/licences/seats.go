package licences

import (
	"cmp"
	"container/heap"
	"maps"
	"slices"
	"time"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// seats are the seats of a product, as a lock: those who hold it and have none are shut out.
type seats struct {
	product  string
	line     rule.Line
	mappings []*rule.Rule
	seats    int
	seatings directory.Memo[*seating]
}

// seating says from when on each holder of a product past its seats has one.
// Those who are seated from the start are not in it.
type seating struct {
	holders []directory.UserID // everyone counted, in the order of seating
	from    map[directory.UserID]time.Time
}

// never is the time at which a seat frees that nobody's end will free.
var never = time.Unix(1<<40, 0)

// of is the seating by a book, computed when it is first asked for: a mapping can look at
// claims, which are known once all systems are compiled. It is that of the book before an edit
// where this is known and nobody moved. Where it is not, the mappings may have come with the
// edit, and name people whom the book before does not have.
func (p *seats) of(book *directory.Book) *seating {
	return p.seatings.Of(book, func() *seating {
		base, touched := book.Base()
		if was, known := p.seatings.Known(base); known && p.unmoved(base, book, touched) {
			return was
		}
		return p.seat(book)
	})
}

// Verdict says whether the subject, who holds the product, has a seat. Accounts
// that are switched off or have ended take none, and are shut anyway.
func (p *seats) Verdict(q *rule.Question) rule.Verdict {
	from, waiting := p.of(q.Book).from[q.Subject.ID]
	if !waiting {
		return rule.Opened
	}
	short := q.ShutFor(rule.ByNoSeat, p.line.Name, "")
	at, ends := q.Facts.At, q.Subject.User().Expires
	switch {
	case !at.IsZero() && !ends.IsZero() && !at.Before(ends.Time):
		return rule.Opened
	case from == never, !ends.IsZero() && !from.Before(ends.Time):
		return short
	case at.IsZero():
		if q.Brief {
			return rule.Verdict{State: rule.Depends}
		}
		return rule.DependsOn(situation.All(situation.After(from)))
	case at.Before(from):
		return short
	}
	return rule.Opened
}

// Lines are the mappings of the product.
func (p *seats) Lines() rule.LineSet { return rule.Lines(p.mappings...) }

// Depends are those who wait for a seat, who are looked at one by one.
func (p *seats) Depends(book *directory.Book) rule.Dependencies {
	return rule.Dependencies{Apart: slices.Collect(maps.Keys(p.of(book).from))}
}

// Shifted lists those whose seat is another by a book than it was. Both are asked about the book
// of which they were compiled, as each knows nobody else.
func (p *seats) Shifted(was gate.Shared, before, after *directory.Book) (users []directory.UserID) {
	old := &seating{}
	if same, is := was.(*seats); is {
		old = same.of(before) // first: what is known of the book before is taken over
	}
	now := p.of(after)
	if old == now {
		return nil
	}
	for u, from := range old.from {
		if later, waits := now.from[u]; !waits || !later.Equal(from) {
			users = append(users, u)
		}
	}
	for u := range now.from {
		if _, waited := old.from[u]; !waited {
			users = append(users, u)
		}
	}
	return users
}

// Count counts the holders.
func (p *seats) Count(book *directory.Book) gate.Seats {
	return gate.Seats{Product: p.product, Seats: p.seats, Holders: len(p.of(book).holders)}
}

// unmoved says that none of some users stands otherwise in the line for a seat
// in one book than in another.
func (p *seats) unmoved(before, after *directory.Book, users []directory.UserID) bool {
	type place struct {
		active bool
		ends   time.Time
		lines  uint64
	}
	at := func(book *directory.Book, u directory.UserID) (places []place) {
		if !book.HasUser(u) {
			return nil
		}
		q := &rule.Question{Book: book, Subject: book.Subject(u), Brief: true}
		for i := range p.mappings {
			if p.mappings[i].Has(q) {
				places = append(places, place{book.User(u).IsActive(), book.User(u).Expires.Time, uint64(i)})
			}
		}
		return places
	}
	return !slices.ContainsFunc(users, func(u directory.UserID) bool { return !slices.Equal(at(before, u), at(after, u)) })
}

// seat puts the holders of a product in order (direct ones first, then by the
// first mapping that gives it, then by name) and computes when each gets a
// seat. Inactive users hold none; an account that has ended frees its own.
//
// The next in line is seated once fewer than the number of seats before it
// are still there, which is when the shortest-lived of the longest-lived ones
// that fill all seats ends.
func (p *seats) seat(book *directory.Book) *seating {
	s := &seating{holders: p.queue(book), from: map[directory.UserID]time.Time{}}
	var seated ends
	for _, u := range s.holders {
		if len(seated) >= p.seats {
			s.from[u] = never
			if p.seats > 0 {
				s.from[u] = seated[0]
			}
		}
		heap.Push(&seated, ending(book.User(u)))
		if len(seated) > p.seats {
			heap.Pop(&seated)
		}
	}
	return s
}

func ending(u *directory.User) time.Time {
	if u.Expires.IsZero() {
		return never
	}
	return u.Expires.Time
}

// queue lists the active holders in the order of seating.
func (p *seats) queue(book *directory.Book) []directory.UserID {
	type holder struct {
		user   directory.UserID
		direct int
		first  int
	}
	var all []holder
	q := &rule.Question{Book: book, Subject: &directory.Subject{}}
	for _, u := range rule.Candidates(book, p.mappings) {
		if !book.Active(u) {
			continue
		}
		h := holder{user: u, direct: 1, first: -1}
		q.Turn(u)
		for i := range p.mappings {
			m := p.mappings[i]
			if !m.Has(q) {
				continue
			}
			if h.first < 0 {
				h.first = i
			}
			if slices.Contains(m.Users, u) {
				h.direct = 0
			}
		}
		if h.first >= 0 {
			all = append(all, h)
		}
	}
	// They come by name, so that the sort need only be stable.
	slices.SortStableFunc(all, func(a, b holder) int {
		return cmp.Or(cmp.Compare(a.direct, b.direct), cmp.Compare(a.first, b.first))
	})
	users := make([]directory.UserID, len(all))
	for i, h := range all {
		users[i] = h.user
	}
	return users
}

// ends is a heap of points in time, the earliest on top.
type ends []time.Time

func (e ends) Len() int           { return len(e) }
func (e ends) Less(i, j int) bool { return e[i].Before(e[j]) }
func (e ends) Swap(i, j int)      { e[i], e[j] = e[j], e[i] }
func (e *ends) Push(x any)        { *e = append(*e, x.(time.Time)) }
func (e *ends) Pop() any {
	last := (*e)[len(*e)-1]
	*e = (*e)[:len(*e)-1]
	return last
}

package licences

import (
	"cmp"
	"container/heap"
	"maps"
	"slices"
	"time"

	"gatemap/core/directory"
	"gatemap/core/gate"
)

// seating says from when on each holder of a product past its seats has one.
// Those who are seated from the start are not in it.
type seating struct {
	holders []directory.UserID // everyone counted, in the order of seating
	from    map[directory.UserID]time.Time
}

// never is the time at which a seat frees that nobody's end will free.
var never = time.Unix(1<<40, 0)

// seating is computed when it is first asked for: a mapping can look at
// claims, which are known once all systems are compiled.
func (p *product) seating(book *directory.Book) *seating {
	return p.seatings.Of(book, func() *seating {
		if base, touched := book.Base(); base != nil && p.unmoved(base, book, touched) {
			return p.seating(base)
		}
		return seat(book, p)
	})
}

// unmoved says that none of some users stands otherwise in the line for a seat
// in one book than in another.
func (p *product) unmoved(before, after *directory.Book, users []directory.UserID) bool {
	type place struct {
		active bool
		ends   time.Time
		lines  uint64
	}
	at := func(book *directory.Book, u directory.UserID) (places []place) {
		if !book.HasUser(u) {
			return nil
		}
		q := &gate.Question{Book: book, Subject: book.Subject(u), Brief: true}
		for i := range p.mappings {
			if p.mappings[i].crowd.Has(q) {
				places = append(places, place{book.User(u).IsActive(), book.User(u).Expires.Time, uint64(i)})
			}
		}
		return places
	}
	return !slices.ContainsFunc(users, func(u directory.UserID) bool { return !slices.Equal(at(before, u), at(after, u)) })
}

// Shifted lists those whose seat depends on others and is another in one book
// than in another.
func (t *shelf) Shifted(before, after *directory.Book) []directory.UserID {
	var users []directory.UserID
	for i := range t.products {
		p := &t.products[i]
		if !p.limited {
			continue
		}
		old, now := p.seating(before), p.seating(after)
		if old == now {
			continue
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
	}
	return users
}

// seat puts the holders of a product in order (direct ones first, then by the
// first mapping that gives it, then by name) and computes when each gets a
// seat. Inactive users hold none; an account that has ended frees its own.
//
// The next in line is seated once fewer than the number of seats before it
// are still there, which is when the shortest-lived of the longest-lived ones
// that fill all seats ends.
func seat(book *directory.Book, p *product) *seating {
	s := &seating{from: map[directory.UserID]time.Time{}}
	if !p.limited {
		return s
	}
	s.holders = line(book, p)
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

// line lists the active holders in the order of seating.
func line(book *directory.Book, p *product) []directory.UserID {
	type holder struct {
		user   directory.UserID
		direct int
		first  int
	}
	var all []holder
	q := &gate.Question{Book: book, Subject: &directory.Subject{}}
	for _, u := range p.candidates(book) {
		if !book.User(u).IsActive() {
			continue
		}
		h := holder{user: u, direct: 1, first: -1}
		q.Turn(u)
		for i := range p.mappings {
			c := p.mappings[i].crowd
			if !c.Has(q) {
				continue
			}
			if h.first < 0 {
				h.first = i
			}
			if slices.Contains(c.Users, u) {
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

// Heeds says that those who wait for a seat are looked at one by one.
func (t *shelf) Heeds(book *directory.Book, _ gate.Point) gate.Heed {
	var h gate.Heed
	for i := range t.products {
		if p := &t.products[i]; p.limited {
			h.Apart = slices.AppendSeq(h.Apart, maps.Keys(p.seating(book).from))
		}
	}
	return h
}

// candidates are the users among whom all holders of a product are.
func (p *product) candidates(book *directory.Book) []directory.UserID {
	var crowds []*gate.Crowd
	for i := range p.mappings {
		crowds = append(crowds, p.mappings[i].crowd)
	}
	return gate.Candidates(book, crowds)
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

// Seats counts the holders of the products of which the seats are numbered.
func (t *shelf) Seats(book *directory.Book) []gate.Seats {
	var all []gate.Seats
	for i := range t.products {
		if p := &t.products[i]; p.limited {
			all = append(all, gate.Seats{Product: p.name, Seats: p.seats, Holders: len(p.seating(book).holders)})
		}
	}
	return all
}

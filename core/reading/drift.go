package reading

import (
	"slices"
	"strings"
	"sync"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/parallel"
	"gatemap/core/rule"
	"gatemap/core/sorted"
)

// Effect says on which side there is more.
type Effect string

// Who really holds more than the map says, and who less.
const (
	Excess Effect = "excess"
	Short  Effect = "short"
)

// Drift is how a reading differs from the map: by line, and by person and entitlement. The
// gates in front of a system are left aside on both sides.
type Drift struct {
	Lines  []Line
	Causes []Cause // by effect, the one that explains the most first
	Items  []Item  // by user, object and right

	Of *Compiled // the reading

	// The system by the map and by the reading, so that both list the same.
	here, there *atlas.System
	real        *atlas.Atlas  // of there
	asWritten   *atlas.System // the system of the map, where here lists more than its lines write
	book        *directory.Book
	ignored     map[string]bool // the full names of accounts that the link leaves aside
}

// Item is one entitlement that someone really holds, and by the map does not, or the other way
// round. A stranger is named by the account. There may be millions.
type Item struct {
	*Point
	*Person
	cause       *Cause     // where it was found with the item
	Cause       int32      // by its place in Causes
	Here, There rule.State // by the map, and by the reading
}

// Effect says on which side there is more.
func (x *Item) Effect() Effect {
	if x.There < x.Here {
		return Short
	}
	return Excess
}

// Between says how a reading differs from the map with which it was compiled; t is the system's
// gate type.
func Between(c *Compiled, t gate.Type) (*Drift, error) {
	here, err := c.Now.System(c.Reading.System)
	if err != nil {
		return nil, err
	}
	d := &Drift{Of: c, book: c.Now.Book, ignored: map[string]bool{}}
	declared, asked := here.Document.Gate, c.System.Document.Gate
	if t.Declare != nil {
		declared = t.Declare(declared, c.Document)
	}
	if t.Listing != nil {
		d.asWritten = here
		of := []gate.Document{declared, c.judged()}
		declared, asked = t.Listing(declared, of...), t.Listing(asked, of...)
	}
	if _, d.here, err = with(c.Now, here, declared); err != nil {
		return nil, err
	}
	if d.real, d.there, err = with(c.Atlas, c.System, asked); err != nil {
		return nil, err
	}
	for _, a := range c.Accounts {
		if c.Ignored(a.Name) {
			d.ignored[c.Full(a.Name)] = true
		}
	}
	l := d.newLedger()
	d.Items = d.items(l)
	d.explain()
	d.Lines = l.compared(c.aside)
	return d, nil
}

// judged is what was read without the lines that are only for accounts that the link leaves aside.
func (c *Compiled) judged() gate.Document {
	return gate.Rewritten(c.Document, func(w *gate.Who) {
		if len(w.Users) > 0 {
			w.Users = slices.DeleteFunc(w.Users, func(u name.Ref) bool { return c.Ignored(u.Name) })
			w.Off = w.Off || w.Empty()
		}
	}, func(*directory.People) {})
}

// with is a system with another document of its gate, and the atlas of it.
func with(a *atlas.Atlas, s *atlas.System, g gate.Document) (*atlas.Atlas, *atlas.System, error) {
	if g == s.Document.Gate {
		return a, s, nil
	}
	document := *s.Document
	document.Gate = g
	one, err := a.With(atlas.Changed{Title: a.Title, Book: a.Book, Frame: a.Frame, Systems: []*gate.System{&document}})
	if err != nil {
		return nil, nil, err
	}
	s, err = one.System(document.Name)
	return one, s, err
}

// Person is a user of both sides.
type Person struct {
	User        string // by full name
	here, there directory.UserID
	known, has  bool // whether the map has the user, and the system the account
}

// people are all who may hold anything on one of the sides, by name: those whom the lines of the
// map name, and those who have an account.
func (d *Drift) people() []Person {
	c := d.Of
	var list []Person
	done := map[directory.UserID]bool{}
	for i := range c.Accounts {
		account := c.Accounts[i].Name
		if c.Ignored(account) {
			continue
		}
		p := Person{User: c.Full(account), has: true}
		var err error
		if p.there, err = c.Atlas.Book.FindUser(p.User, ""); err != nil {
			continue
		}
		if p.here, p.known = c.UserOf[account]; p.known {
			done[p.here] = true
		}
		list = append(list, p)
	}
	for _, u := range rule.Candidates(d.book, d.here.Site.Index.All()) {
		if !done[u] {
			list = append(list, Person{User: d.book.UserName(u), here: u, known: true})
		}
	}
	slices.SortFunc(list, func(a, b Person) int { return strings.Compare(a.User, b.User) })
	return list
}

// items are the differences of all.
func (d *Drift) items(l *ledger) []Item {
	const piece = 16
	people := d.people()
	var s *suspects
	if l.plain {
		s = d.newSuspects(l)
	}
	parts := make([][]Item, (len(people)+piece-1)/piece)
	askings := sync.Pool{New: func() any {
		here, there := d.sides(true)
		return &asking{here: here, there: there}
	}}
	parallel.For(len(people), piece, func(from, to int) {
		a := askings.Get().(*asking)
		defer askings.Put(a)
		here, there, part := a.here, a.there, &a.list
		*part = (*part)[:0]
		for i := from; i < to; i++ {
			p := &people[i]
			if s != nil && p.known && p.has && here.turned(p.here).able() && there.turned(p.there).able() {
				*part = s.differ(d, *part, p, here, there)
				continue
			}
			var x, y []rule.Entitlement
			if p.known {
				x = here.list(p.here)
			}
			if p.has {
				y = there.list(p.there)
			}
			*part = d.differ(*part, p, x, y)
		}
		parts[from/piece] = slices.Clone(*part)
	})
	return slices.Concat(parts...)
}

// asking is how one goroutine asks both sides.
type asking struct {
	here, there *side
	list        []Item
}

// differ adds what two lists of one person differ in.
func (d *Drift) differ(list []Item, p *Person, x, y []rule.Entitlement) []Item {
	r := d.Of.Reading
	add := func(e *rule.Entitlement, here, there rule.State) {
		list = append(list, Item{Point: &Point{e.Object, e.Right}, Person: p, Here: here, There: there})
	}
	sorted.Beside(x, y, byPoint, func(x, y *rule.Entitlement) {
		switch {
		case y == nil: // what cannot be held there is about what lies below it
			if r.can(x.Object, x.Right) {
				add(x, x.State, rule.None)
			}
		case x == nil:
			add(y, rule.None, y.State)
		case x.State != y.State:
			add(x, x.State, y.State)
		}
	})
	return list
}

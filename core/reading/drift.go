package reading

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/parallel"
	"gatemap/core/rule"
	"gatemap/core/situation"
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
// round. A stranger is named by the account.
type Item struct {
	Effect        Effect
	Object, Right string
	Here, There   rule.State // by the map, and by the reading
	Cause         int        // by its place in Causes
	Person

	cause *Cause // where it was found with the item
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

// side asks one of the two what users hold, leaving aside what stands in front.
type side struct {
	question *rule.Question
	system   *atlas.System
	at       *Compiled // of the map: when accounts are looked at
	held     []rule.Entitlement
	words    []uint32
	marked   bool   // given says what is given to these words
	given    []bool // by point of a ledger; all false where nothing is marked
	about    bool   // it asks about somebody already
}

func (d *Drift) sides(brief bool) (here, there *side) {
	now := d.Of.Now
	facts := now.Frame.Facts(situation.Situation{}, nil)
	here = d.Of.byMap(d.here, facts)
	there = &side{question: d.real.Unturned(facts), system: d.there, at: d.Of}
	here.question.Brief, there.question.Brief = brief, brief
	return here, there
}

// byMap asks the map about the system.
func (c *Compiled) byMap(s *atlas.System, facts *situation.Facts) *side {
	return &side{question: c.Now.Unturned(facts), system: s, at: c}
}

// able says whether an account can do anything at all: it is switched on, has not ended when the
// system was read, and has what the system requires.
func (s *side) able() bool { return !s.off() && s.lacks() == "" }

func (s *side) off() bool {
	u := s.question.Subject.User()
	return !u.IsActive() || !u.Expires.IsZero() && !s.at.At.Before(u.Expires.Time)
}

// lacks is an attribute that the system requires and the user has not.
func (s *side) lacks() string {
	for _, attribute := range s.system.Document.Requires {
		if s.question.Book.Lacks(s.question.Subject.ID, name.Fold(attribute)) {
			return attribute
		}
	}
	return ""
}

// list lists what a user holds that can be used in some situation, by object and right.
func (s *side) list(u directory.UserID) []rule.Entitlement {
	s.held = s.held[:0]
	if !s.turned(u).able() {
		return nil
	}
	s.system.Gate.Reach(s.question, func(e rule.Entitlement) {
		if e.State >= rule.Depends {
			s.held = append(s.held, e)
		}
	})
	if !slices.IsSortedFunc(s.held, byPoint) {
		slices.SortFunc(s.held, byPoint)
	}
	return s.held
}

func byPoint(a, b rule.Entitlement) int {
	return cmp.Or(strings.Compare(a.Object, b.Object), strings.Compare(a.Right, b.Right))
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
	parallel.For(len(people), piece, func(from, to int) {
		here, there := d.sides(true)
		for _, p := range people[from:to] {
			part := &parts[from/piece]
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
	})
	return slices.Concat(parts...)
}

// differ adds what two lists of one person differ in.
func (d *Drift) differ(list []Item, p Person, x, y []rule.Entitlement) []Item {
	r := d.Of.Reading
	add := func(effect Effect, e *rule.Entitlement, here, there rule.State) {
		list = append(list, Item{Effect: effect, Object: e.Object, Right: e.Right, Here: here, There: there, Person: p})
	}
	for len(x) > 0 || len(y) > 0 {
		order := 0
		switch {
		case len(y) == 0:
			order = -1
		case len(x) == 0:
			order = 1
		default:
			order = byPoint(x[0], y[0])
		}
		switch {
		case order < 0: // what cannot be held there is about what lies below it
			if r.can(x[0].Object, x[0].Right) {
				add(Short, &x[0], x[0].State, rule.None)
			}
			x = x[1:]
		case order > 0:
			add(Excess, &y[0], rule.None, y[0].State)
			y = y[1:]
		default:
			if x[0].State != y[0].State {
				effect := Excess
				if y[0].State < x[0].State {
					effect = Short
				}
				add(effect, &x[0], x[0].State, y[0].State)
			}
			x, y = x[1:], y[1:]
		}
	}
	return list
}

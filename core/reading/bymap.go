package reading

import (
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Holders asks what users hold in a system, leaving aside what stands in front. It belongs to one
// goroutine.
type Holders struct{ side }

// ByMap asks the map about the system with all declared that was found there; t is the system's
// gate type.
func (c *Compiled) ByMap(t gate.Type) (*Holders, error) {
	s, err := c.declared(t)
	if err != nil {
		return nil, err
	}
	return holders(c.byMap(s, c.Now.Frame.Facts(situation.Situation{}, nil))), nil
}

// ByReading asks what was read.
func (c *Compiled) ByReading() *Holders {
	return holders(&side{question: c.Atlas.Unturned(c.Now.Frame.Facts(situation.Situation{}, nil)), system: c.System})
}

func holders(s *side) *Holders {
	s.question.Brief = true
	return &Holders{*s}
}

// Account turns the question to an account that was read.
func (b *Holders) Account(c *Compiled, account string) {
	if u, err := c.Atlas.Book.FindUser(c.Full(account), ""); err == nil {
		b.turned(u)
	}
}

// declared is the system of the map with all that was found there declared.
func (c *Compiled) declared(t gate.Type) (*atlas.System, error) {
	here, err := c.Now.System(c.Reading.System)
	if err != nil || t.Declare == nil {
		return here, err
	}
	_, here, err = with(c.Now, here, t.Declare(here.Document.Gate, c.Document))
	return here, err
}

// System is the system that is asked about.
func (b *Holders) System() *atlas.System { return b.system }

// About turns the question to a user.
func (b *Holders) About(u directory.UserID) *directory.Subject { return b.turned(u).question.Subject }

// Able says whether the one asked about can do anything at all: an account that is switched off or
// has ended cannot, nor one without what the system requires.
func (b *Holders) Able() bool { return b.able() }

// Holds lists what the one asked about may hold, in some situation, by object and right.
func (b *Holders) Holds() []rule.Entitlement { return b.list(b.question.Subject.ID) }

// Has says whether an object is there, as far as the reading tells, and Can whether a right can be
// held on it.
func (c *Compiled) Has(object string) bool        { return c.has(object) }
func (c *Compiled) Can(object, right string) bool { return c.can(object, right) }

// WrittenUser is what the account of a user is called there by the link; "" where the user has not
// what it is written with. WrittenGroup is the same of a group.
func (c *Compiled) WrittenUser(l *gate.Link, u directory.UserID) string {
	written, _ := userPattern(l).Write(c.Now.Book.User(u).First)
	return written
}

// WrittenGroup is what a group of the map is called there: the name that it has there, else as the
// link has it written.
func (c *Compiled) WrittenGroup(l *gate.Link, g directory.GroupID) string {
	if own, there := c.theirs[g]; there {
		return own
	}
	written, _ := groupPattern(l).Write(groupValue(c.Now.Book.Group(g)))
	return written
}

// Off says that the account of the one asked about is switched off, or had ended when the system
// was read.
func (b *Holders) Off() bool { return b.off() }

// Told is how the one asked about holds one thing, with the routes.
func (b *Holders) Told(object, right string) rule.Entitlement {
	b.question.Brief = false
	e := b.decide(b.question.Subject.ID, object, right)
	b.question.Brief = true
	return e
}

// GroupThere is what a group of what was read is called there.
func (c *Compiled) GroupThere(g directory.GroupID) string {
	return c.names.own[c.Atlas.Book.GroupName(g)]
}

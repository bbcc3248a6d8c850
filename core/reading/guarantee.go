package reading

import (
	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Kept looks whether a guarantee holds of what systems were found to hold; of gives the reading of a
// system. Whom it is about is said by the map; strangers count among everyone. The error is one
// of of.
func Kept(
	now *atlas.Atlas,
	p *atlas.Promise,
	of func(system string) (*Compiled, error),
) (g check.Guaranteed, err error) {
	asked := make([]promised, len(p.Things))
	for i := range p.Things {
		s := p.Things[i].System
		if s == nil {
			continue // it is told as lost
		}
		real, err := of(s.Name())
		if err != nil {
			return g, err
		}
		if asked[i], err = real.promised(now.Book, p, i); err != nil {
			return g, err
		}
	}
	held := func(q *rule.Question, thing int) []rule.Entitlement {
		x := &asked[thing]
		if u, has := x.users[q.Subject.ID]; has {
			return x.held(u)
		}
		return nil
	}
	return check.Kept(now, p, held, strangersOf(asked)), nil
}

// promised is one thing of a guarantee, as it is asked of a reading.
type promised struct {
	*Compiled
	thing atlas.Thing
	facts *situation.Facts
	users map[directory.UserID]directory.UserID // of the map, with those of the reading
}

func (c *Compiled) promised(book *directory.Book, p *atlas.Promise, thing int) (x promised, err error) {
	x = promised{Compiled: c, users: map[directory.UserID]directory.UserID{}}
	what := p.Document.Can
	if what == nil {
		what = &p.Document.HoldsBoth[thing]
	}
	x.thing = c.Atlas.Thing(what)
	if x.facts, err = c.Atlas.Facts(p.Given); err != nil {
		return x, err
	}
	for account := range c.UserOf {
		full := c.Full(account)
		u, err := book.FindUser(full, "")
		if err != nil {
			continue // a trial removes the user
		}
		if x.users[u], err = c.Atlas.Book.FindUser(full, ""); err != nil {
			return x, err
		}
	}
	return x, nil
}

func (x *promised) held(there directory.UserID) []rule.Entitlement {
	if x.Compiled == nil {
		return nil
	}
	return x.Atlas.Held(x.Atlas.Question(there, x.facts), &x.thing)
}

// strangersOf are the accounts that belong to no user of the map, of all systems that are asked.
func strangersOf(asked []promised) (list []check.Stranger) {
	at := map[string]int{}
	for i := range asked {
		x := &asked[i]
		if x.Compiled == nil {
			continue
		}
		for _, account := range x.Strangers() {
			full := x.Full(account.Name)
			u, err := x.Atlas.Book.FindUser(full, "")
			if err != nil {
				continue
			}
			n, known := at[full]
			if !known {
				n = len(list)
				at[full] = n
				list = append(list, check.Stranger{Name: full, Held: make([][]rule.Entitlement, len(asked))})
			}
			list[n].Held[i] = x.held(u)
		}
	}
	return list
}

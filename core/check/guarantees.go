package check

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/rule"
)

// Guaranteed is a guarantee and whether it holds.
type Guaranteed struct {
	Guarantee string     `json:"guarantee" doc:"Its name."`
	State     string     `json:"state" enum:"kept,broken"`
	Users     []string   `json:"users" doc:"Who breaks it, by full name." nullable:"false"`
	Off       bool       `json:"off,omitempty" doc:"It is switched off, and so never broken."`
	Reason    string     `json:"reason" doc:"Why it is kept or broken, in a sentence."`
	Evidence  []Evidence `json:"evidence" doc:"What those who break it hold, and by which routes." nullable:"false"`
	File      string     `json:"file,omitempty" doc:"Where it is written."`
	Line      int32      `json:"line,omitempty"`
}

// Evidence is what one user holds.
type Evidence struct {
	User        string           `json:"user"`
	Entitlement rule.Entitlement `json:"entitlement"`
}

// Broken says that it does not hold.
func (g *Guaranteed) Broken() bool { return g.State == "broken" }

// Guarantees looks whether each guarantee of an atlas holds (docs/model.md
// section 7). Of one that is asked of what is really there, see Kept.
func Guarantees(a *atlas.Atlas) []Guaranteed {
	all := make([]Guaranteed, 0, len(a.Guarantees))
	for _, p := range a.Guarantees {
		if p.Document.Really {
			all = append(all, Unread(p, "nobody asked what is really there"))
			continue
		}
		all = append(
			all,
			Kept(a, p, func(q *rule.Question, thing int) []rule.Entitlement { return a.Held(q, &p.Things[thing]) }, nil),
		)
	}
	return all
}

// Unread is a guarantee that is asked of what is really there, of which that is not known.
func Unread(p *atlas.Promise, why string) Guaranteed {
	g := begun(p)
	if !g.Off {
		g.State, g.Reason = "broken", "It is asked of what is really there, and that is not known: "+why+"."
	}
	return g
}

func begun(p *atlas.Promise) Guaranteed {
	g := Guaranteed{
		Guarantee: p.Document.Name, State: "kept", Users: []string{}, Evidence: []Evidence{},
		File: p.Document.Place.File, Line: p.Document.Place.Line,
	}
	if p.Document.Off {
		g.Off, g.Reason = true, "It is switched off: nothing is asked."
	}
	return g
}

// Holds gives what an account holds of one of the things of a guarantee, in whatever state but none.
type Holds func(q *rule.Question, thing int) []rule.Entitlement

// Stranger is an account that belongs to no user of the map, with what it holds of each thing.
type Stranger struct {
	Name string
	Held [][]rule.Entitlement
}

// Kept looks whether a guarantee holds, where people hold what held says. Strangers count among
// everyone.
func Kept(a *atlas.Atlas, p *atlas.Promise, held Holds, strangers []Stranger) Guaranteed {
	g := begun(p)
	if g.Off {
		return g
	}
	every := p.Document.Every != nil
	about := func(u directory.UserID) (*rule.Question, bool) {
		q := a.Question(u, p.Facts)
		return q, p.Who.Has(q) && !(every && gone(q))
	}
	asked, broken := 0, 0
	breaks := func(held []Evidence) {
		broken++
		g.Evidence = append(g.Evidence, held...)
		for _, e := range held {
			if !slices.Contains(g.Users, e.User) {
				g.Users = append(g.Users, e.User)
			}
		}
	}
	for u := range a.Book.AllUsers {
		q, is := about(u)
		if !is {
			continue
		}
		accounts, first := together(a, p, q, about)
		if !first {
			continue // it is judged with that one
		}
		asked++
		has, can := holds(a, p, held, accounts)
		switch {
		case can == every:
		case can:
			breaks(has)
		default:
			broken++
			g.Evidence = append(g.Evidence, has...)
			g.Users = append(g.Users, a.Book.UserName(u))
		}
	}
	if !every && p.Who.Everyone {
		for _, s := range strangers {
			asked++
			if has, can := s.holds(p); can {
				breaks(has)
			}
		}
	}
	judge(&g, p, asked, broken)
	if !g.Broken() { // up to so many may
		g.Users, g.Evidence = []string{}, []Evidence{}
	}
	return g
}

func judge(g *Guaranteed, p *atlas.Promise, asked, broken int) {
	breakIt := func(format string, args ...any) {
		g.State, g.Reason = "broken", fmt.Sprintf(format, args...)
	}
	who := strings.Join(g.Users, ", ")
	switch d := p.Document; {
	case p.Lost() != nil:
		breakIt("It names what does not exist: %s.", strings.Join(p.Lost(), ", "))
	case d.Every != nil && asked == 0:
		breakIt("It covers nobody, so it proves nothing.")
	case d.Every != nil && len(g.Users) > 0:
		breakIt("These cannot, though all %d should: %s.", asked, who)
	case d.Every != nil:
		g.Reason = fmt.Sprintf("All %d can.", asked)
	case d.AtMost != nil && broken > *d.AtMost:
		breakIt("%d can, and at most %d should: %s.", broken, *d.AtMost, who)
	case d.AtMost != nil:
		g.Reason = fmt.Sprintf("%d can, and at most %d should.", broken, *d.AtMost)
	case len(g.Users) > 0 && d.HoldsBoth != nil:
		breakIt("These hold both: %s.", who)
	case len(g.Users) > 0:
		breakIt("These can: %s.", who)
	default:
		g.Reason = fmt.Sprintf("None of %d can.", asked)
	}
}

// gone says that an account is switched off, or has surely ended.
func gone(q *rule.Question) bool {
	u := q.Subject.User()
	return !u.IsActive() || !u.Expires.IsZero() && !q.Facts.At.IsZero() && !q.Facts.At.Before(u.Expires.Time)
}

// together are the accounts that are judged as one with that of a question, and whether that is the
// first of them that a guarantee is about.
func together(
	a *atlas.Atlas, p *atlas.Promise, q *rule.Question, about func(directory.UserID) (*rule.Question, bool),
) (accounts []*rule.Question, first bool) {
	accounts, first = []*rule.Question{q}, true
	if p.Document.Per == "account" {
		return accounts, first
	}
	u := q.Subject.ID
	for _, other := range a.Book.Accounts(u) {
		if other == u {
			continue
		}
		q, is := about(other)
		first = first && (!is || other > u)
		accounts = append(accounts, q)
	}
	return accounts, first
}

// holds says whether someone can do all the things of a promise by any of some accounts, and
// with what. In a given situation only what is open counts for every; otherwise what
// depends counts too, if there is a way.
func holds(a *atlas.Atlas, p *atlas.Promise, held Holds, accounts []*rule.Question) (has []Evidence, can bool) {
	can = true
	for i := range p.Things {
		some := false
		for _, q := range accounts {
			for _, e := range held(q, i) {
				has = append(has, Evidence{a.Book.UserName(q.Subject.ID), e})
				some = some || e.Surely() >= least(p)
			}
		}
		can = can && some
	}
	return has, can
}

func (s *Stranger) holds(p *atlas.Promise) (has []Evidence, can bool) {
	can = true
	for _, held := range s.Held {
		some := false
		for _, e := range held {
			has = append(has, Evidence{s.Name, e})
			some = some || e.Surely() >= least(p)
		}
		can = can && some
	}
	return has, can
}

// least is the lowest state in which somebody can do a thing.
func least(p *atlas.Promise) rule.State {
	if p.Sure && p.Document.Every != nil {
		return rule.Open
	}
	return rule.Depends
}

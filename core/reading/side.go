package reading

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// side asks one of the two what users hold, leaving aside what stands in front.
type side struct {
	question *rule.Question
	system   *atlas.System
	at       *Compiled // of the map: when accounts are looked at
	held     []rule.Entitlement
	words    []uint32
	marked   bool    // given says what is given to these words
	given    []uint8 // by point of a ledger: by which word, from 1, or several; all 0 where nothing is marked
	about    bool    // it asks about somebody already
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
	inOrder := func(a, b rule.Entitlement) int { return byPoint(&a, &b) }
	if !slices.IsSortedFunc(s.held, inOrder) {
		slices.SortFunc(s.held, inOrder)
	}
	return s.held
}

func byPoint(a, b *rule.Entitlement) int {
	return cmp.Or(strings.Compare(a.Object, b.Object), strings.Compare(a.Right, b.Right))
}

// turned asks about a user. What was worked out of one stays as long as it is about the same.
func (s *side) turned(u directory.UserID) *side {
	if !s.about || s.question.Subject.ID != u {
		s.question.Turn(u)
		s.about = true
	}
	return s
}

// decide is the answer to one thing, by the gate alone.
func (s *side) decide(u directory.UserID, object, right string) rule.Entitlement {
	p, err := s.system.Gate.At(object, right)
	if err != nil {
		return rule.Entitlement{}
	}
	e := p.Decide(s.turned(u).question)
	e.Settle(s.question)
	return e
}

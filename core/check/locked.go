package check

import (
	"fmt"
	"iter"
	"maps"
	"slices"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// locked finds lines that never open anything: with no fact given, all that
// they give to anyone today is shut, which it then is in every situation. What
// shuts it for a reason of the person's own (the account, a missing attribute,
// a seat) says nothing about the line.
var locked = Analyzer{
	Name: "locked",
	Doc:  "Lines that can never be more than shut, and what shuts them.",
	Run: func(p *Pass) {
		p.eachSystem(func(s *atlas.System) []finding.Finding {
			looks := p.Atlas.Looks(p.Atlas.Frame.Facts(situation.Situation{}, nil), s)
			l := locks{atlas: p.Atlas, system: s, looks: looks, lines: map[string]*lock{}}
			return l.find()
		})
	},
}

// looked is at how many people is looked one by one for a line that is for many; where that
// does not settle every line, people are sorted into kinds, each of which is looked at once. A
// variable, so that tests take both ways.
var looked = 8

// few is how many times as many people a line can be for, to look at all of them.
const few = 25

// locks are what becomes of what the lines of a system give.
type locks struct {
	atlas  *atlas.Atlas
	system *atlas.System
	looks  *atlas.Looks
	lines  map[string]*lock
}

// lock is what becomes of everything that a line gives.
type lock struct {
	opens bool
	by    map[string]bool // what shuts it
}

// find looks at those for whom the lines are until each line opens something.
func (l *locks) find() (found []finding.Finding) {
	if !l.oneByOne() {
		l.byKinds()
	}
	places := l.system.Site.Places
	for _, line := range slices.Sorted(maps.Keys(l.lines)) {
		x, known := l.lines[line], false
		if _, known = places[line]; !known || x.opens || len(x.by) == 0 {
			continue
		}
		by := slices.Sorted(maps.Keys(x.by))
		f := finding.New(finding.LockedOut, places[line],
			fmt.Sprintf("Line %s can never open anything: everything it gives is shut by %s.", line, strings.Join(by, ", ")),
			"Remove the line, or change what shuts it.", by...)
		f.Where.System, f.Where.Rule, _ = strings.Cut(line, "/")
		found = append(found, f)
	}
	return found
}

// oneByOne looks at people one by one, those for whom a line is, until it opens something for
// someone; whole is false where that does not settle every line.
func (l *locks) oneByOne() (whole bool) {
	book := l.atlas.Book
	whole = true
	for _, c := range l.system.Site.Index.All() {
		if l.settled(c) {
			continue
		}
		left, tries := looked, few*few
		if among(book, c, few*looked) <= few*looked {
			left = few * looked
		}
		for u := range candidates(book, c) {
			if !book.Active(u) {
				continue
			}
			l.looks.Turn(u)
			if c.Only != nil && tries > 0 && !c.Has(l.looks.Question) {
				tries--
				continue
			}
			if left--; left < 0 {
				whole = false
				break
			}
			if l.look(c); l.opens(c.Name) {
				break
			}
		}
	}
	return whole
}

// byKinds looks at one of everyone who comes to the same, for the lines that are not settled.
func (l *locks) byKinds() {
	q, book := l.looks.Question, l.atlas.Book
	shut := slices.DeleteFunc(slices.Clone(l.system.Site.Index.All()), l.settled)
	l.looks.Kinds(func() {
		if !book.Active(q.Subject.ID) {
			return
		}
		opened := false
		for _, c := range shut {
			if c.Has(q) {
				l.look(c)
				opened = opened || l.opens(c.Name)
			}
		}
		if opened {
			shut = slices.DeleteFunc(shut, l.settled)
		}
	})
}

// candidates are the users among whom all are for whom a line is, in no order.
func candidates(book *directory.Book, c *rule.Rule) iter.Seq[directory.UserID] {
	groups, users, everyone := rule.Among(c)
	if everyone {
		return book.AllUsers
	}
	return book.Below(groups, users)
}

// among counts candidates, to a most.
func among(book *directory.Book, c *rule.Rule, most int) (n int) {
	for range candidates(book, c) {
		if n++; n > most {
			break
		}
	}
	return n
}

// settled says that there is nothing to find out about a line: it gives nothing, or opens
// something.
func (l *locks) settled(c *rule.Rule) bool {
	return c.Part() != rule.Gives || c.Nobody() || l.opens(c.Name)
}

// look notes what somebody holds by a line, until that opens something.
func (l *locks) look(c *rule.Rule) {
	l.looks.By(c, func(e rule.Entitlement) bool {
		l.note(&e)
		return !l.opens(c.Name)
	})
}

func (l *locks) opens(line string) bool { return l.lines[line] != nil && l.lines[line].opens }

var personal = []rule.Reason{rule.ByInactive, rule.ByExpired, rule.ByPrerequisite, rule.ByNoSeat, rule.ByOverride}

// note notes something that someone holds.
func (l *locks) note(e *rule.Entitlement) {
	own := slices.ContainsFunc(e.ShutBy, func(s rule.Stop) bool { return slices.Contains(personal, s.Reason) })
	for _, r := range e.Routes {
		x := l.lines[r.Mapping]
		if x == nil {
			x = &lock{by: map[string]bool{}}
			l.lines[r.Mapping] = x
		}
		if e.State != rule.Shut || own {
			x.opens = x.opens || e.State != rule.Shut
			continue
		}
		for _, s := range e.ShutBy {
			x.by[s.At] = true
		}
	}
}

package rule

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Line is the name of one line of a gate, with where it is written.
type Line struct {
	Name  string // SYSTEM/NAME
	Place place.Place
}

// Rule is the line's name without the system's.
func (l Line) Rule() string {
	_, own, _ := strings.Cut(l.Name, "/")
	return own
}

// Effect says what a line does to those whom it names.
type Effect bool

// A line that gives stops giving when it names something that does not exist; a line
// that takes keeps taking from those that it can name.
const (
	Giving Effect = false
	Taking Effect = true
)

// Rule is one line of a gate, compiled: for whom it is, and on what condition. What every
// question looks at comes first.
type Rule struct {
	broken, off bool
	number      uint32
	index       *Index
	// Everyone, Users, Groups and Claims say for whom it is, any one of them; Except are
	// those who are not meant, whatever else names them.
	Everyone bool
	Effect   Effect
	// Only, where it is not nil, must hold as well. Where Tested is set it alone says for
	// whom the rule is, and by which routes they come to it.
	Tested bool
	Only   Fact
	Groups []directory.GroupID
	Users  []directory.UserID
	Claims []*Claim
	Line
	// When must hold for the rule to apply.
	When   situation.Condition
	Except directory.Party
	// Reason is what a rule that takes shuts by.
	Reason Reason
	// Then is what the rule asks of those to whom it applies; Would says in words what it
	// does, where it is only watched.
	Then  []situation.Condition
	Would string
}

// Fact is something that is worked out about a subject before rules are looked at.
type Fact interface {
	Holds(*Question) bool
	// Routes are the ways by which the subject comes to a line that is for those for whom
	// the fact holds, as the subject is.
	Routes(q *Question, line string) []Route
	// Lacks is what would make the fact hold; of several things any one is enough.
	Lacks(*Question) []Lack
	// From are rules among whose people all are for whom it holds, if not everyone may be.
	From() (rules []*Rule, everyone bool)
	// Lines are all rules that it looks at, and Depends is what it looks at in a subject
	// besides.
	Lines() LineSet
	Depends(*directory.Book) Dependencies
}

// Claim is a value of a claim of a relying party, as something that a line goes by. It
// is found once all systems are compiled.
type Claim struct {
	Party, Claim, Is string // the party as SYSTEM/PARTY
	By               Permission
}

func (c *Claim) String() string { return c.Party + " " + c.Claim + "=" + c.Is }

// held says whether the subject's sign-in is admitted with it.
func (c *Claim) held(q *Question) bool {
	if c.By == nil {
		return false
	}
	brief, passes := q.Brief, q.Passes
	q.Brief, q.Passes = true, nil
	state := c.By.State(q)
	q.Brief, q.Passes = brief, passes
	return state == Open
}

// Break makes a rule that has nobody: its line gives nothing.
func (r *Rule) Break() { r.broken = true }

// SwitchOff makes a rule nobody's, as of a line that is switched off.
func (r *Rule) SwitchOff() {
	r.off, r.Everyone, r.Groups, r.Users, r.Claims = true, false, nil, nil, nil
}

// Broken says that a name in the line leads to nothing, so that it gives nothing.
func (r *Rule) Broken() bool { return r.broken }

// Off says that the line is switched off.
func (r *Rule) Off() bool { return r.off }

// wreck says that a name in the line leads to nothing, or that it is switched off, so that it
// has nobody.
func (r *Rule) wreck() bool {
	return r.broken || r.off ||
		r.Effect == Giving && slices.ContainsFunc(r.Claims, func(c *Claim) bool { return c.By == nil })
}

// byClaim says whether the subject has one of the claims that the line goes by.
func (r *Rule) byClaim(q *Question) bool {
	return slices.ContainsFunc(r.Claims, func(c *Claim) bool { return c.held(q) })
}

// names says whether the line's own keys name the subject, exceptions aside.
func (r *Rule) names(q *Question) bool {
	s := q.Subject
	return r.Everyone || slices.Contains(r.Users, s.ID) || slices.ContainsFunc(r.Groups, s.In) || r.byClaim(q)
}

func (r *Rule) excepted(s *directory.Subject) bool {
	return slices.Contains(r.Except.Users, s.ID) || slices.ContainsFunc(r.Except.Groups, s.In)
}

// Excepts says whether anybody is excepted at all.
func (r *Rule) Excepts() bool { return len(r.Except.Users)+len(r.Except.Groups) > 0 }

// Nobody says that the line can give nothing to anyone: a name in it leads to
// nothing, or none of its groups counts here.
func (r *Rule) Nobody() bool {
	return r.wreck() || !r.Everyone && len(r.Groups)+len(r.Users)+len(r.Claims) == 0
}

// Part is what the line does where it decides.
func (r *Rule) Part() Part {
	if r.Effect == Giving {
		return Gives
	}
	return Takes
}

// Number is the number of the rule in the index of its system.
func (r *Rule) Number() uint32 { return r.number }

// Has says whether the line is for the subject.
func (r *Rule) Has(q *Question) bool { return q.Held(r.index).Has(r.number) && r.fits(q) }

// fits says whether what else a rule asks for holds of a subject whom its principals have.
func (r *Rule) fits(q *Question) bool { return r.Only == nil || r.Only.Holds(q) }

// Routes lists the ways by which a subject whom the line is for comes to it:
// one for each group, each by its shortest path, and one for each other key of
// the line that names the subject.
func (r *Rule) Routes(q *Question) []Route {
	if q.Brief {
		return nil
	}
	if r.Tested {
		return r.Only.Routes(q, r.Name)
	}
	return r.RoutesTo(q, r.Name)
}

// RoutesTo is Routes by the principals alone, to a line of some name.
func (r *Rule) RoutesTo(q *Question, line string) []Route {
	routes := q.room(2 + len(r.Groups) + len(r.Claims))
	if slices.Contains(r.Users, q.Subject.ID) {
		routes = append(routes, Route{Mapping: line, Direct: true, Path: []Hop{}})
	}
	for _, g := range r.Groups {
		if hops := q.way(g); hops != nil {
			routes = append(routes, Route{Mapping: line, Path: hops})
		}
	}
	for _, c := range r.Claims {
		if c.held(q) {
			routes = append(routes, Route{Mapping: line, By: "claim:" + c.String(), Path: []Hop{}})
		}
	}
	if r.Everyone {
		routes = append(routes, Route{Mapping: line, Path: []Hop{}})
	}
	return q.kept(routes)
}

// Lacks lists what would make the line be for the subject. It is empty where
// the line is broken: nothing that the subject could get would help.
func (r *Rule) Lacks(q *Question) []Lack {
	if r.wreck() {
		return nil
	}
	var lacks []Lack
	if !r.names(q) {
		for _, g := range r.Groups {
			lacks = append(lacks, LackGroup.Of(q.Book.GroupName(g)))
		}
		for _, u := range r.Users {
			lacks = append(lacks, LackUser.Of(q.Book.UserName(u)))
		}
		for _, c := range r.Claims {
			lacks = append(lacks, LackClaim.Of(c.String()))
		}
	}
	for _, u := range r.Except.Users {
		if u == q.Subject.ID {
			lacks = append(lacks, LackNotUser.Of(q.Book.UserName(u)))
		}
	}
	for _, g := range r.Except.Groups {
		if q.Subject.In(g) {
			lacks = append(lacks, LackNotGroup.Of(q.Book.GroupName(g)))
		}
	}
	if r.Only != nil && !r.Only.Holds(q) {
		lacks = append(lacks, r.Only.Lacks(q)...)
	}
	return lacks
}

// Covers says whether everyone whom inner is for is surely one whom r is for too, by the
// way the groups are nested and whoever is in them today. What else they ask for is left
// out.
func (r *Rule) Covers(book *directory.Book, inner *Rule) bool {
	if r.wreck() || r.Excepts() || inner.Nobody() {
		return false
	}
	if r.Everyone {
		return true
	}
	if inner.Everyone || len(inner.Claims) > 0 {
		return false
	}
	for _, g := range inner.Groups {
		if !slices.ContainsFunc(r.Groups, func(outer directory.GroupID) bool { return book.Flows(g, outer) }) {
			return false
		}
	}
	for _, u := range inner.Users {
		if !slices.Contains(r.Users, u) && !slices.ContainsFunc(r.Groups, book.Subject(u).In) {
			return false
		}
	}
	return true
}

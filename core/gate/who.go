package gate

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// Who says for whom a line holds: any one of its keys is enough, and Except
// wins over all of them.
type Who struct {
	Groups   []name.Ref        `yaml:"groups" doc:"Members of any of these groups."`
	Users    []name.Ref        `yaml:"users" doc:"These users."`
	Claims   []ClaimRef        `yaml:"claims" doc:"Those whose sign-in to a relying party carries one of these claims."`
	Everyone bool              `yaml:"everyone" doc:"true: everyone in every directory."`
	Except   *directory.People `yaml:"except" doc:"But not these users, nor members of these groups."`
	Off      bool              `yaml:"off" doc:"true: the line stays in its place, and is switched off."`
}

// Empty says that nobody is named.
func (w *Who) Empty() bool {
	return len(w.Groups)+len(w.Users)+len(w.Claims) == 0 && !w.Everyone
}

// Crowd is a compiled Who.
type Crowd struct {
	Everyone bool
	Users    []directory.UserID
	Groups   []directory.GroupID
	claims   []*claimed
	except   directory.Party
	broken   bool
	off      bool
	giving   bool
	line     string
	roster   *Roster
	number   uint32
}

// Off says that the line is switched off.
func (c *Crowd) Off() bool { return c.off }

// wreck says that a name in the line leads to nothing, or that it is switched off, so that it
// has nobody.
func (c *Crowd) wreck() bool {
	return c.broken || c.off || c.giving && slices.ContainsFunc(c.claims, func(x *claimed) bool { return x.lost })
}

// Names says whether the crowd's own keys name the subject, exceptions aside.
func (c *Crowd) names(q *Question) bool {
	s := q.Subject
	return c.Everyone || slices.Contains(c.Users, s.ID) || slices.ContainsFunc(c.Groups, s.In) || c.byClaim(q)
}

func (c *Crowd) excepted(s *directory.Subject) bool {
	return slices.Contains(c.except.Users, s.ID) || slices.ContainsFunc(c.except.Groups, s.In)
}

// Excepts says whether anybody is excepted at all.
func (c *Crowd) Excepts() bool { return len(c.except.Users)+len(c.except.Groups) > 0 }

// Nobody says that the line can give nothing to anyone: a name in it leads to
// nothing, or none of its groups counts here.
func (c *Crowd) Nobody() bool {
	return c.wreck() || !c.Everyone && len(c.Groups)+len(c.Users)+len(c.claims) == 0
}

// Except are those who are not in the crowd, whatever else names them.
func (c *Crowd) Except() directory.Party { return c.except }

// Claims lists the claims by which one comes into the crowd.
func (c *Crowd) Claims() []ClaimRef {
	var refs []ClaimRef
	for _, x := range c.claims {
		if !x.lost {
			refs = append(refs, x.ref)
		}
	}
	return refs
}

// Part is what the line does where it decides.
func (c *Crowd) Part() Part {
	if c.giving {
		return Gives
	}
	return Takes
}

// Line is the name of the line that is for the crowd.
func (c *Crowd) Line() string { return c.line }

// Number is the number of the crowd in the roster of its system.
func (c *Crowd) Number() uint32 { return c.number }

// Has says whether the line holds for the subject.
func (c *Crowd) Has(q *Question) bool { return q.Held(c.roster).Has(c.number) }

// Routes lists the ways by which a subject whom the crowd has comes to a line:
// one for each group, each by its shortest path, and one for each other key of
// the line that names the subject.
func (c *Crowd) Routes(q *Question, line string) []Route {
	if q.Brief {
		return nil
	}
	routes := q.room(2 + len(c.Groups) + len(c.claims))
	if slices.Contains(c.Users, q.Subject.ID) {
		routes = append(routes, Route{Mapping: line, Direct: true, Path: []Hop{}})
	}
	for _, g := range c.Groups {
		if hops := q.way(g); hops != nil {
			routes = append(routes, Route{Mapping: line, Path: hops})
		}
	}
	for _, x := range c.claims {
		if !x.lost && x.test(q) {
			routes = append(routes, Route{Mapping: line, By: "claim:" + x.text, Path: []Hop{}})
		}
	}
	if c.Everyone {
		routes = append(routes, Route{Mapping: line, Path: []Hop{}})
	}
	return q.kept(routes)
}

// Lacks lists what would make the crowd have the subject. It is empty where
// the line is broken: nothing that the subject could get would help.
func (c *Crowd) Lacks(q *Question) []string {
	if c.wreck() {
		return nil
	}
	var lacks []string
	if !c.names(q) {
		for _, g := range c.Groups {
			lacks = append(lacks, "group:"+q.Book.GroupName(g))
		}
		for _, u := range c.Users {
			lacks = append(lacks, "user:"+q.Book.UserName(u))
		}
		for _, x := range c.claims {
			lacks = append(lacks, "claim:"+x.text)
		}
	}
	for _, u := range c.except.Users {
		if u == q.Subject.ID {
			lacks = append(lacks, "not-user:"+q.Book.UserName(u))
		}
	}
	for _, g := range c.except.Groups {
		if q.Subject.In(g) {
			lacks = append(lacks, "not-group:"+q.Book.GroupName(g))
		}
	}
	return lacks
}

// Covers says whether everyone in inner is surely in c too, by the way the
// groups are nested and whoever is in them today.
func (c *Crowd) Covers(book *directory.Book, inner *Crowd) bool {
	if c.wreck() || c.Excepts() || inner.Nobody() {
		return false
	}
	if c.Everyone {
		return true
	}
	if inner.Everyone || len(inner.claims) > 0 {
		return false
	}
	for _, g := range inner.Groups {
		if !slices.ContainsFunc(c.Groups, func(outer directory.GroupID) bool { return book.Flows(g, outer) }) {
			return false
		}
	}
	for _, u := range inner.Users {
		if !slices.Contains(c.Users, u) && !slices.ContainsFunc(c.Groups, book.Subject(u).In) {
			return false
		}
	}
	return true
}

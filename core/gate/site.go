package gate

import (
	"cmp"
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Site is where a gate is compiled: the system, the directories and the named
// networks and windows around it, and where to put what is wrong.
type Site struct {
	System *System
	Book   *directory.Book
	Frame  *situation.Frame
	Errors *place.Errors
	// Systems are all systems of the map as written, and Gate finds the gate of one, once
	// all are compiled.
	Systems []*System
	Gate    func(system string) (Gate, bool)

	Findings []finding.Finding
	lost     int // names that lead to nothing
	// Mapped holds every group that a line of this system names, with the
	// line; used by the checks of the whole map.
	Mapped []Mapped
	// Named holds the groups that exceptions and conditions look at.
	Named []directory.GroupID
	// Refers holds whomever any line names, one that is switched off too.
	Refers directory.Party
	// Places tells where each line stands, by its name.
	Places map[string]place.Place
	// Leans lists the systems that this one needs an answer from.
	Leans []name.Ref

	// Index finds the lines that are for a subject.
	Index rule.Index
	// Shared is what there is not enough of for everyone.
	Shared []Shared
	// AllNetworks says that the gate knows the networks of the map by their names, whether
	// its lines name them or not.
	AllNetworks bool

	takesName []func(group string) bool

	later []func()
}

// Finish does what had to wait until all systems were compiled.
func (s *Site) Finish() {
	for _, do := range s.later {
		do()
	}
	s.later = nil
	s.Index.Seal(s.Book.Groups())
}

// Mapped is a group that a line names.
type Mapped struct {
	Group directory.GroupID
	Place place.Place
	Line  string
}

// Networks are the networks of the map.
func (s *Site) Networks() []situation.Network {
	s.AllNetworks = true
	return s.Frame.Networks
}

// Named are values of the groups that count here and of which the name gives one; groups of
// which the name does not start with start, or does not have part in it, give none.
func Named[T any](s *Site, start, part string, give func(group string) (T, bool)) rule.ByGroup[T] {
	s.takesName = append(s.takesName, func(group string) bool { _, ok := give(group); return ok })
	values := map[directory.GroupID]T{}
	for g, group := range s.Book.GroupsFrom(start) {
		if !strings.HasPrefix(group, start) || !strings.Contains(group, part) {
			continue
		}
		if value, ok := give(group); ok && s.Counts(g) {
			values[g] = value
			s.Named = append(s.Named, g) // it opens something
		}
	}
	return rule.NewByGroup(s.Book.Groups(), values)
}

// TakesName says whether the gate looks at groups of a name, which no line of it names.
func (s *Site) TakesName(group string) bool {
	return slices.ContainsFunc(s.takesName, func(takes func(string) bool) bool { return takes(group) })
}

// ByName says whether the gate looks at the names of groups at all.
func (s *Site) ByName() bool { return s.takesName != nil }

// Seats counts the seats of what is shared out, by product.
func (s *Site) Seats(book *directory.Book) []Seats {
	var all []Seats
	for _, x := range s.Shared {
		all = append(all, x.Count(book))
	}
	slices.SortStableFunc(all, func(a, b Seats) int { return strings.Compare(a.Product, b.Product) })
	return all
}

// Line names a line.
func (s *Site) Line(own string, at place.Place) rule.Line {
	l := rule.Line{Name: s.System.Name + "/" + own, Place: at}
	if s.Places == nil {
		s.Places = map[string]place.Place{}
	}
	s.Places[l.Name] = at
	return l
}

// Numbered names a line that has no name of its own, by its kind and its index
// from 0: "mapping 1" is the first.
func (s *Site) Numbered(kind string, index int, at place.Place) rule.Line {
	return s.Line(kind+" "+strconv.Itoa(index+1), at)
}

// Find adds a finding about a line.
func (s *Site) Find(code finding.Code, line rule.Line, message, fix string, names ...string) {
	s.add(finding.New(code, line.Place, message, fix, names...), line)
}

func (s *Site) add(f finding.Finding, line rule.Line) {
	f.Where.System, f.Where.Rule = s.System.Name, line.Rule()
	s.Findings = append(s.Findings, f)
}

// Missing reports a name in a line that leads to nothing.
func (s *Site) Missing(kind string, ref name.Ref, near []string, line rule.Line) {
	err := &directory.NotFoundError{Kind: kind, Name: ref.Name, Near: near}
	s.add(directory.ReportMissing(ref, err, "Line "+line.Name), line)
}

// Rule compiles a line: for whom it is, and on what condition. A line that gives has
// nobody where a name in it leads to nothing, and none has anybody that is switched off.
func (s *Site) Rule(line rule.Line, w *Who, when *situation.When, effect rule.Effect) *rule.Rule {
	return s.compile(w.Off, func() *rule.Rule { return s.on(s.who(w, line, effect), when) })
}

// EveryoneBut compiles a line that is for all but whom it excepts.
func (s *Site) EveryoneBut(line rule.Line, w *Who, when *situation.When, effect rule.Effect) *rule.Rule {
	return s.compile(w.Off, func() *rule.Rule {
		party, _ := s.Party(w.Except, line)
		return s.on(s.Index.Enter(rule.Rule{Line: line, Everyone: true, Except: party, Effect: effect}), when)
	})
}

// compile compiles a line. One that is switched off has nobody, and of all that it names
// nothing stays but what is misspelt.
func (s *Site) compile(off bool, line func() *rule.Rule) *rule.Rule {
	found, mapped, named := len(s.Findings), len(s.Mapped), len(s.Named)
	r := line()
	if off {
		s.Findings = append(s.Findings[:found], misspelt(s.Findings[found:])...)
		s.Mapped, s.Named = s.Mapped[:mapped], s.Named[:named]
		r.SwitchOff()
	}
	return r
}

// on puts a rule under a condition.
func (s *Site) on(r *rule.Rule, when *situation.When) *rule.Rule {
	var usable bool
	if r.When, usable = s.When(when, r.Line, r.Effect); !usable {
		r.Break()
	}
	return r
}

// misspelt are the findings about names that lead to nothing, or to too much.
func misspelt(list []finding.Finding) []finding.Finding {
	return slices.DeleteFunc(slices.Clone(list), func(f finding.Finding) bool { return f.Code != finding.UnknownName && f.Code != finding.AmbiguousName })
}

func (s *Site) who(w *Who, line rule.Line, effect rule.Effect) *rule.Rule {
	c := s.Index.Enter(rule.Rule{Line: line, Everyone: w.Everyone, Effect: effect})
	if w.Empty() {
		s.Errors.Addf(line.Place, "line %s names nobody: it needs groups, users or everyone: true", line.Name)
	}
	if beside := len(w.Groups) + len(w.Users) + len(w.Claims); w.Everyone && beside > 0 && !w.Off {
		s.Find(finding.BesideEveryone, line, fmt.Sprintf("Line %s is for everyone: the groups, users and claims beside it add nothing.", line.Name),
			"Remove them, or remove everyone: true if only they are meant.")
	}
	whole := true
	for _, r := range w.Groups {
		if g, ok := s.group(r, line); !ok {
			whole = false
		} else {
			s.Mapped = append(s.Mapped, Mapped{g, r.Place, line.Name})
			if s.counts(g, r, line) {
				c.Groups = append(c.Groups, g)
			}
		}
	}
	for _, r := range w.Users {
		if u, ok := s.user(r, line); !ok {
			whole = false
		} else {
			c.Users = append(c.Users, u)
		}
	}
	for _, r := range w.Claims {
		c.Claims = append(c.Claims, s.claim(r, line))
	}
	excepted, exceptWhole := s.Party(w.Except, line)
	c.Except = excepted
	if effect == rule.Giving && !(whole && exceptWhole) {
		c.Break()
	}
	c.Groups, c.Users = s.Book.InOrder(unique(c.Groups)), s.Book.UsersInOrder(unique(c.Users))
	return c
}

// People compiles people who are looked at for membership alone, whatever the
// groups' kind and reach.
func (s *Site) People(w *Who, line rule.Line) *rule.Rule {
	if w.Empty() {
		s.Errors.Addf(line.Place, "line %s names nobody: it needs groups, users or everyone: true", line.Name)
	}
	party, _ := s.Party(&directory.People{Users: w.Users, Groups: w.Groups}, line)
	c := s.EveryoneBut(line, &Who{Except: w.Except}, nil, rule.Taking)
	c.Everyone, c.Users, c.Groups = w.Everyone, s.Book.UsersInOrder(unique(party.Users)), s.Book.InOrder(unique(party.Groups))
	for _, r := range w.Claims {
		c.Claims = append(c.Claims, s.claim(r, line))
	}
	return c
}

// Party compiles users and groups that are looked at for membership alone,
// whatever the groups' kind and reach. whole is false if a name leads to
// nothing.
func (s *Site) Party(p *directory.People, line rule.Line) (party directory.Party, whole bool) {
	if p == nil {
		return directory.Party{}, true
	}
	whole = true
	for _, r := range p.Groups {
		if g, ok := s.group(r, line); ok {
			party.Groups = append(party.Groups, g)
			s.Named = append(s.Named, g)
		} else {
			whole = false
		}
	}
	for _, r := range p.Users {
		if u, ok := s.user(r, line); ok {
			party.Users = append(party.Users, u)
		} else {
			whole = false
		}
	}
	return party, whole
}

func unique[T cmp.Ordered](list []T) []T {
	slices.Sort(list)
	return slices.Compact(list)
}

func (s *Site) group(r name.Ref, line rule.Line) (directory.GroupID, bool) {
	g, ok := named(s, r, line, s.Book.LookGroup, s.Book.FindGroup)
	if ok {
		s.Refers.Groups = append(s.Refers.Groups, g)
	}
	return g, ok
}

func (s *Site) user(r name.Ref, line rule.Line) (directory.UserID, bool) {
	u, ok := named(s, r, line, s.Book.LookUser, s.Book.FindUser)
	if ok {
		s.Refers.Users = append(s.Refers.Users, u)
	}
	return u, ok
}

// named looks a name up, and reports one that leads to nothing: the first of them
// with the nearest names.
func named[ID any](s *Site, r name.Ref, line rule.Line, look, find func(written, home string) (ID, error)) (ID, bool) {
	id, err := look(r.Name, "")
	if err != nil {
		if s.lost++; s.lost <= directory.Suggested {
			_, err = find(r.Name, "")
		}
		s.add(directory.ReportMissing(r, err, "Line "+line.Name), line)
	}
	return id, err == nil
}

// Counts says whether a group carries access in this system (docs/model.md
// section 3).
func (s *Site) Counts(g directory.GroupID) bool { return s.Uncounted(g) == "" }

// Uncounted says why a group carries no access in this system, or "".
func (s *Site) Uncounted(g directory.GroupID) string {
	if int(g) >= s.Book.Groups() {
		return "it was not there"
	}
	if s.Book.Group(g).Kind == "mail" {
		return "it is a mail group"
	}
	return s.outOfReach(g)
}

// outOfReach says why a group does not count in this system, or "".
func (s *Site) outOfReach(g directory.GroupID) string {
	group := s.Book.Group(g)
	switch {
	case group.UsableIn == "host" && !name.Equal(group.Host, s.System.Name):
		return "it is usable in system " + group.Host + " only"
	case group.UsableIn == "own" && s.System.Directory.Name == "":
		return "it is usable in systems of its own directory only, and this system belongs to none"
	case group.UsableIn == "own" && !name.Equal(s.System.Directory.Name, s.Book.GroupHome(g)):
		return "it is usable in systems of its own directory only, and this system belongs to " + s.System.Directory.Name
	}
	return ""
}

// counts is Counts, and reports where a group that a line names does not.
func (s *Site) counts(g directory.GroupID, r name.Ref, line rule.Line) bool {
	full := s.Book.GroupName(g)
	if s.Book.Group(g).Kind == "mail" {
		s.add(finding.New(finding.MailGroup, r.Place,
			fmt.Sprintf("Line %s names the mail group %s, which opens nothing.", line.Name, full),
			"Name a security group, or make this one a security group.", full), line)
		return false
	}
	reason := s.outOfReach(g)
	if reason == "" {
		return true
	}
	s.add(finding.New(finding.GroupOutOfReach, r.Place,
		fmt.Sprintf("Line %s names group %s, which cannot be used here: %s.", line.Name, full, reason),
		"Name a group that can be used here, or widen usable_in of this one.", full), line)
	return false
}

// When compiles the condition of a line. usable is false for a line that gives
// and has a name in its condition that leads to nothing.
func (s *Site) When(w *situation.When, line rule.Line, effect rule.Effect) (c situation.Condition, usable bool) {
	resolve := func(ref name.Ref) (uint32, string, bool) {
		g, ok := s.group(ref, line)
		if !ok {
			return 0, "", false
		}
		s.Named = append(s.Named, g)
		return uint32(g), s.Book.GroupName(g), true
	}
	c, whole := s.Frame.Compile(w, resolve, func(kind string, ref name.Ref, near []string) {
		s.Missing(kind, ref, near, line)
	})
	return c, whole || effect == rule.Taking
}

// UnknownRight reports a right, or a pattern of rights, that nothing is called.
func (s *Site) UnknownRight(line rule.Line, at place.Place, right string, all iter.Seq[string]) {
	end := name.DidYouMean(name.Near(right, all))
	s.Find(finding.UnknownRight, rule.Line{Name: line.Name, Place: at},
		fmt.Sprintf("Line %s names the right %q, but %s has no such right%s", line.Name, right, s.System.Name, cmp.Or(end, ".")),
		"Correct it, or add the right to the catalogue.", right)
}

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
	mapped   []naming
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
	s.later, s.Gate, s.Systems = nil, nil, nil // they would keep the map in which it was compiled
	s.Index.Seal(s.Book.Groups())
}

// Mapped is a group that a line names.
type Mapped struct {
	Group directory.GroupID
	Place place.Place
	Line  string
}

// naming is the groups that one rule names. There may be millions in all.
type naming struct {
	rule   uint32
	groups []spelling
}

// spelling is one of these, with its line and column in the file of the rule.
type spelling struct {
	group       directory.GroupID
	row, column int32
}

// Mapped yields every group that a line of the system names, for the checks of the whole map.
func (s *Site) Mapped(yield func(Mapped) bool) {
	for _, n := range s.mapped {
		line := s.Index.All()[n.rule].Line
		for _, g := range n.groups {
			m := Mapped{Group: g.group, Line: line.Name}
			if g.row > 0 {
				m.Place = place.Place{File: line.Place.File, Line: g.row, Column: g.column}
			}
			if !yield(m) {
				return
			}
		}
	}
}

// Maps says whether a line of the system names a group.
func (s *Site) Maps(g directory.GroupID) bool {
	return slices.ContainsFunc(s.mapped, func(n naming) bool {
		return slices.ContainsFunc(n.groups, func(x spelling) bool { return x.group == g })
	})
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

// UnknownRight reports a right, or a pattern of rights, that nothing is called.
func (s *Site) UnknownRight(line rule.Line, at place.Place, right string, all iter.Seq[string]) {
	end := name.DidYouMean(name.Near(right, all))
	s.Find(
		finding.UnknownRight,
		rule.Line{Name: line.Name, Place: at},
		fmt.Sprintf(
			"Line %s names the right %q, but %s has no such right%s",
			line.Name,
			right,
			s.System.Name,
			cmp.Or(end, "."),
		),
		"Correct it, or add the right to the catalogue.",
		right,
	)
}

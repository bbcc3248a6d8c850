package gate

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Site is where a gate is compiled: the system, the directories and the named
// networks and windows around it, and where to put what is wrong.
type Site struct {
	System *System
	Book   *directory.Book
	Frame  *situation.Frame
	Errors *place.Errors

	Findings []finding.Finding
	// Mapped holds every group that a line of this system names, with the
	// line; used by the checks of the whole map.
	Mapped []Mapped
	// Named holds the groups that exceptions and conditions look at.
	Named []directory.GroupID
}

// Mapped is a group that a line names.
type Mapped struct {
	Group directory.GroupID
	Place place.Place
	Line  string
}

// Line is one line of a gate: a mapping, a rule, a limit.
type Line struct {
	Name  string // SYSTEM/NAME
	Place place.Place
}

// Line names a line.
func (s *Site) Line(own string, at place.Place) Line {
	return Line{s.System.Name + "/" + own, at}
}

// Numbered names a line that has no name of its own, by its kind and its index
// from 0: "mapping 1" is the first.
func (s *Site) Numbered(kind string, index int, at place.Place) Line {
	return s.Line(kind+" "+strconv.Itoa(index+1), at)
}

// Rule is the line's name without the system's.
func (l Line) Rule() string {
	_, rule, _ := strings.Cut(l.Name, "/")
	return rule
}

// Find adds a finding about a line.
func (s *Site) Find(code finding.Code, line Line, message, fix string, names ...string) {
	s.add(finding.New(code, line.Place, message, fix, names...), line)
}

func (s *Site) add(f finding.Finding, line Line) {
	f.Where.System, f.Where.Rule = s.System.Name, line.Rule()
	s.Findings = append(s.Findings, f)
}

// Missing reports a name in a line that leads to nothing.
func (s *Site) Missing(kind string, ref name.Ref, near []string, line Line) {
	err := &directory.NotFoundError{Kind: kind, Name: ref.Name, Near: near}
	s.add(directory.ReportMissing(ref, err, "Line "+line.Name), line)
}

// Effect says what a line does to those whom it names.
type Effect bool

// A line that gives stops giving when a name in it leads to nothing; a line
// that takes keeps taking from those that it can name.
const (
	Giving Effect = false
	Taking Effect = true
)

// Who compiles who a line is for.
func (s *Site) Who(w *Who, line Line, effect Effect) Crowd {
	c := Crowd{Everyone: w.Everyone}
	if w.Empty() {
		s.Errors.Addf(line.Place, "line %s says nobody: it needs groups, users or everyone: true", line.Name)
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
	excepted, exceptWhole := s.Party(w.Except, line)
	c.except = excepted
	c.broken = effect == Giving && !(whole && exceptWhole)
	c.Groups, c.Users = unique(c.Groups), unique(c.Users)
	return c
}

// EveryoneBut compiles the crowd of a line that holds for all but an exception.
func (s *Site) EveryoneBut(except *directory.People, line Line) Crowd {
	party, _ := s.Party(except, line)
	return Crowd{Everyone: true, except: party}
}

// Party compiles users and groups that are looked at for membership alone,
// whatever the groups' kind and reach. whole is false where a name leads to
// nothing.
func (s *Site) Party(p *directory.People, line Line) (party directory.Party, whole bool) {
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

func (s *Site) group(r name.Ref, line Line) (directory.GroupID, bool) {
	g, err := s.Book.FindGroup(r.Name, "")
	if err != nil {
		s.add(directory.ReportMissing(r, err, "Line "+line.Name), line)
	}
	return g, err == nil
}

func (s *Site) user(r name.Ref, line Line) (directory.UserID, bool) {
	u, err := s.Book.FindUser(r.Name, "")
	if err != nil {
		s.add(directory.ReportMissing(r, err, "Line "+line.Name), line)
	}
	return u, err == nil
}

// counts says whether a group carries access in this system, and reports where
// it does not.
func (s *Site) counts(g directory.GroupID, r name.Ref, line Line) bool {
	group, full := s.Book.Group(g), s.Book.GroupName(g)
	if group.Kind == "mail" {
		s.add(finding.New(finding.MailGroup, r.Place,
			fmt.Sprintf("Line %s names the mail group %s, which opens nothing.", line.Name, full),
			"Name a security group, or make this one a security group.", full), line)
		return false
	}
	var reason string
	switch group.Opens {
	case "host":
		if !strings.EqualFold(group.Host, s.System.Name) {
			reason = "it counts in system " + group.Host + " only"
		}
	case "own":
		switch {
		case s.System.Directory.Name == "":
			reason = "it counts in systems of its own directory only, and this one belongs to none"
		case !strings.EqualFold(s.System.Directory.Name, s.Book.GroupHome(g)):
			reason = "it counts in systems of its own directory only, and this one belongs to " + s.System.Directory.Name
		}
	}
	if reason == "" {
		return true
	}
	s.add(finding.New(finding.GroupOutOfReach, r.Place,
		fmt.Sprintf("Line %s names group %s, which does not count here: %s.", line.Name, full, reason),
		"Name a group that counts here, or widen what this one opens.", full), line)
	return false
}

// When compiles the condition of a line. usable is false for a line that gives
// and has a name in its condition that leads to nothing.
func (s *Site) When(w *situation.When, line Line, effect Effect) (c situation.Condition, usable bool) {
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
	return c, whole || effect == Taking
}

// Break makes a crowd that has nobody: its line gives nothing.
func (c *Crowd) Break() { c.broken = true }

// Conditional is the verdict of a line that gives under a condition.
func Conditional(c *situation.Condition, q *Question, line Line) Verdict {
	switch c.Holds(q.Facts) {
	case situation.True:
		return Opened
	case situation.Unknown:
		return Verdict{State: Depends, Needs: c.Needs(q.Facts)}
	}
	v := Verdict{State: Shut}
	for _, unmet := range c.Unmet(q.Facts) {
		v.ShutBy = append(v.ShutBy, Stop{ByCondition, line.Name, string(unmet)})
	}
	return v
}

// Barring is the verdict of a line that takes under a condition: shut where it
// holds, open where it does not, and where it is unknown the opposite of it is
// needed.
func Barring(c *situation.Condition, q *Question, line Line, reason Reason) Verdict {
	switch c.Holds(q.Facts) {
	case situation.True:
		return ShutFor(reason, line.Name, "")
	case situation.Unknown:
		return Verdict{State: Depends, Needs: c.Opposites(q.Facts)}
	}
	return Opened
}

// Report is where a gate says what its checks found.
type Report struct {
	Book   *directory.Book
	System *System
	Add    func(finding.Finding)
}

// Find adds a finding about a line.
func (r *Report) Find(code finding.Code, line Line, message, fix string, names ...string) {
	f := finding.New(code, line.Place, message, fix, names...)
	f.Where.System, f.Where.Rule = r.System.Name, line.Rule()
	r.Add(f)
}

// DirectUsers reports a line that names users one by one.
func (r *Report) DirectUsers(c *Crowd, line Line) {
	if len(c.Users) == 0 {
		return
	}
	names := make([]string, len(c.Users))
	for i, u := range c.Users {
		names[i] = r.Book.UserName(u)
	}
	r.Find(finding.DirectUser, line,
		fmt.Sprintf("Line %s names %s in person.", line.Name, strings.Join(names, ", ")),
		"Map a group, so that whoever does the job next gets it too.", names...)
}

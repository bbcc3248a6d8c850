package gate

import (
	"fmt"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
)

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
		fmt.Sprintf("Line %s names %s directly.", line.Name, strings.Join(names, ", ")),
		"Map a group instead, so that the next person in the job gets it too.", names...)
}

// Redundant reports line index of n where another one gives the same people the
// same or more. Of two that are equal the later one is it.
func (r *Report) Redundant(index, n int, line func(i int) Line, wider func(wide, narrow int) bool) {
	for i := range n {
		if i == index || !wider(i, index) || i > index && wider(index, i) {
			continue
		}
		own, beside := line(index), line(i)
		r.Find(finding.Redundant, own,
			fmt.Sprintf("Line %s adds nothing to line %s, which gives the same or more to the same people.", own.Name, beside.Name),
			"Drop the line.", own.Name, beside.Name)
		return
	}
}

// AllToEveryone reports a line that gives every right on something to everyone.
func (r *Report) AllToEveryone(line Line, on string) {
	r.Find(finding.AllToEveryone, line,
		fmt.Sprintf("Line %s gives every right on %s to everyone.", line.Name, on),
		"Give what everyone needs, or name groups.")
}

// Shadowed reports an ordered line that can never decide, because earlier ones
// cover it.
func (r *Report) Shadowed(line Line, by []Line) {
	names := bare(by)
	r.Find(finding.Shadowed, line,
		fmt.Sprintf("Line %s can never decide: earlier lines cover all of it (%s).", line.Name, strings.Join(names, ", ")),
		"Remove it, or move it up.", names...)
}

// TooEarly reports a line for everyone that empties later ones of the other
// verdict.
func (r *Report) TooEarly(line Line, emptied []Line) {
	names := bare(emptied)
	r.Find(finding.TooEarly, line,
		fmt.Sprintf("Line %s is for everyone and comes before narrower lines of the other verdict, so that they never decide: %s.", line.Name, strings.Join(names, ", ")),
		"Move it below them, or narrow it.", names...)
}

func bare(lines []Line) []string {
	names := make([]string, len(lines))
	for i, l := range lines {
		names[i] = l.Rule()
	}
	return names
}

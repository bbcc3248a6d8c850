package gate

import (
	"fmt"
	"iter"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/rule"
)

// Report is where a gate says what its checks found.
type Report struct {
	Book   *directory.Book
	System *System
	Add    func(finding.Finding)
}

// Find adds a finding about a line.
func (r *Report) Find(code finding.Code, line rule.Line, message, fix string, names ...string) {
	f := finding.New(code, line.Place, message, fix, names...)
	f.Where.System, f.Where.Rule = r.System.Name, line.Rule()
	r.Add(f)
}

// Mapped looks at one of several rules that give: whether it names users one by one, and
// whether another gives the same people the same or more. Of two that are equal the later
// one adds nothing.
func (r *Report) Mapped(rules []*rule.Rule, index int, wider func(wide, narrow int) bool) {
	r.MappedAmong(rules, index, func(yield func(int) bool) {
		for i := range rules {
			if !yield(i) {
				return
			}
		}
	}, wider)
}

// MappedAmong is Mapped where only some of the rules can give as much, in order.
func (r *Report) MappedAmong(
	rules []*rule.Rule, index int, some iter.Seq[int], wider func(wide, narrow int) bool,
) {
	own := rules[index]
	r.DirectUsers(own)
	for i := range some {
		if i == index || !wider(i, index) || i > index && wider(index, i) {
			continue
		}
		beside := rules[i]
		r.Find(
			finding.Redundant,
			own.Line,
			fmt.Sprintf(
				"Line %s adds nothing to line %s, which gives the same or more to the same people.",
				own.Name,
				beside.Name,
			),
			"Drop the line.",
			own.Name,
			beside.Name,
		)
		return
	}
}

// DirectUsers reports a line that names users one by one.
func (r *Report) DirectUsers(x *rule.Rule) {
	if len(x.Users) == 0 {
		return
	}
	names := make([]string, len(x.Users))
	for i, u := range x.Users {
		names[i] = r.Book.UserName(u)
	}
	r.Find(finding.DirectUser, x.Line,
		fmt.Sprintf("Line %s names %s directly.", x.Name, strings.Join(names, ", ")),
		"Map a group instead, so that the next person in the job gets it too.", names...)
}

// AllToEveryone reports a line that gives every right on something to everyone.
func (r *Report) AllToEveryone(line rule.Line, on string) {
	r.Find(finding.AllToEveryone, line,
		fmt.Sprintf("Line %s gives every right on %s to everyone.", line.Name, on),
		"Give what everyone needs, or name groups.")
}

// Shadowed reports an ordered line that can never decide, because earlier ones
// cover it.
func (r *Report) Shadowed(line rule.Line, by []*rule.Rule) {
	names := bare(by)
	r.Find(finding.Shadowed, line,
		fmt.Sprintf("Line %s can never decide: earlier lines cover all of it (%s).", line.Name, strings.Join(names, ", ")),
		"Remove it, or move it up.", names...)
}

// TooEarly reports a line for everyone that empties later ones of the other
// verdict.
func (r *Report) TooEarly(line rule.Line, emptied []*rule.Rule) {
	names := bare(emptied)
	r.Find(
		finding.TooEarly,
		line,
		fmt.Sprintf(
			"Line %s is for everyone and comes before narrower lines of the other verdict, so that they never decide: %s.",
			line.Name,
			strings.Join(names, ", "),
		),
		"Move it below them, or narrow it.",
		names...)
}

func bare(lines []*rule.Rule) []string {
	names := make([]string, len(lines))
	for i, l := range lines {
		names[i] = l.Rule()
	}
	return names
}

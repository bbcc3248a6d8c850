package gate

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/place"
)

// Link says how a real system is reached, and how names there go with those of the map
// (docs/connected.md). It is data only; package connect acts on it.
type Link struct {
	Place      place.Place          `yaml:"-"`
	Connection directory.Connection `yaml:",link"`
	Names      Written              `yaml:"names" doc:"How names of the map are written there. {name}, {userName} or any other {attribute} stands for that of the record."`
	Ignore     Ignored              `yaml:"ignore" doc:"What is there and is not ours to judge. * stands for any run of characters."`
	Every      directory.Span       `yaml:"every" doc:"How often it is read, such as 15m. Missing: when asked."`

	Deliver      Deliver            `yaml:"deliver" doc:"When it is brought to what the map says: by-hand, on-commit or never. Missing: by-hand."`
	RemovalLimit *directory.Percent `yaml:"removal_limit" doc:"How many of the grants and memberships there one delivery may take away unconfirmed, such as 5%. Missing: 5%."`
	Unexpressed  Unexpressed        `yaml:"unexpressed" doc:"What becomes of a grant with a condition that cannot be said there: leave-out, or grant it without. Missing: leave-out."`
}

// Limit is how much one delivery may take away unconfirmed.
func (l *Link) Limit() directory.Percent {
	if l.RemovalLimit == nil {
		return directory.UsualLimit
	}
	return *l.RemovalLimit
}

// Deliver says when a system is brought to what the map says.
type Deliver string

// When a system is delivered to; by hand where nothing is said.
const (
	ByHand   Deliver = "by-hand"
	OnCommit Deliver = "on-commit"
	Never    Deliver = "never"
)

// Values lists them.
func (Deliver) Values() []string { return []string{string(ByHand), string(OnCommit), string(Never)} }

// Unexpressed says what becomes of a grant with a condition that a system cannot express.
type Unexpressed string

// LetThrough gives it without its condition; what is left out is not given.
const (
	LeaveOut   Unexpressed = "leave-out"
	LetThrough Unexpressed = "grant"
)

// Values lists them.
func (Unexpressed) Values() []string { return []string{string(LeaveOut), string(LetThrough)} }

// Written says how names of the map are written in a system.
type Written struct {
	Groups string `yaml:"groups" doc:"Of a group, such as gm_{name}. Missing: {name}."`
	Users  string `yaml:"users" doc:"Of an account, such as {userName}. Missing: {userName}."`
}

// Group is what a group by some name is called there.
func (w Written) Group(named string) string {
	before, after := w.around()
	return before + named + after
}

// OwnGroup says whether a group there is called as only groups of ours are: names of groups have
// something of their own before or after {name}, and it has that.
func (w Written) OwnGroup(there string) bool {
	before, after := w.around()
	return before+after != "" && len(there) > len(before)+len(after) && strings.HasPrefix(there, before) &&
		strings.HasSuffix(there, after)
}

// around is what is written before and after the name of a group.
func (w Written) around() (before, after string) {
	before, after, _ = strings.Cut(w.Groups, "{name}")
	return before, after
}

// Ignored is what a system holds that is left alone.
type Ignored struct {
	Accounts []Pattern `yaml:"accounts" doc:"Accounts, by their names there."`
	Groups   []Pattern `yaml:"groups" doc:"Groups, by their names there."`
}

// Account says whether an account is left alone, and Group a group.
func (i *Ignored) Account(named string) bool { return some(i.Accounts, named) }
func (i *Ignored) Group(named string) bool   { return some(i.Groups, named) }

func some(patterns []Pattern, text string) bool {
	return slices.ContainsFunc(patterns, func(p Pattern) bool { return p.Matches(text) })
}

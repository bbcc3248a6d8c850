package gate

import (
	"slices"

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
}

// Written says how names of the map are written in a system.
type Written struct {
	Groups string `yaml:"groups" doc:"Of a group, such as gm_{name}. Missing: {name}."`
	Users  string `yaml:"users" doc:"Of an account, such as {userName}. Missing: {userName}."`
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

package answer

import (
	"encoding/json"

	"gatemap/core/rule"
)

// Probe is an answer with what became of every line of the system on the way to it.
type Probe struct {
	Why
	Passes []rule.Pass `json:"passes" doc:"The lines of the system, in the order in which they are written." nullable:"false"`
}

// Lines are the lines of a system.
type Lines struct {
	System string `json:"system"`
	Lines  []Line `json:"lines" doc:"In the order in which they are written." nullable:"false"`
}

// Line is one line of a system, and where it stands.
type Line struct {
	Line   string          `json:"line" doc:"As SYSTEM/NAME."`
	System string          `json:"system"`
	Type   string          `json:"type" doc:"The gate type of the system."`
	List   string          `json:"list,omitempty" doc:"The list that it is in, as a change names it."`
	Number int             `json:"number,omitempty" doc:"Its number in the list, from 1."`
	File   string          `json:"file,omitempty"`
	Row    int             `json:"row,omitempty" doc:"The line of the file."`
	People int             `json:"people" doc:"For how many people it is."`
	Value  json.RawMessage `json:"value,omitempty" doc:"What is written there."`
	// Groups are those that the line names, and by which it is for a group asked about.
	Groups []string `json:"groups" doc:"The groups that it names." nullable:"false"`
}

// IsOff says whether the line is switched off.
func (l *Line) IsOff() bool {
	var written struct{ Off bool }
	return json.Unmarshal(l.Value, &written) == nil && written.Off
}

// Opened are the lines that a group, or one that holds it, is named in.
type Opened struct {
	Group string `json:"group" doc:"Full name of the group."`
	Lines []Line `json:"lines" doc:"By system, in the order in which they are written." nullable:"false"`
}

// ChartAsked is what of the map is drawn, and how it is summed up. The zero ChartAsked but for Most is
// all of it, by group and system.
type ChartAsked struct {
	Most   int    // groups, or values of By
	By     string // group, directory or an attribute of users
	Types  bool   // the systems of one type together; not by group
	Type   string // only systems of this type
	System string // only the neighbourhood of this system
	Group  string // only what this group opens
	User   string // only what this user's groups open
}

// Chart is the map at a glance.
type Chart struct {
	Revision int           `json:"revision"`
	By       string        `json:"by" doc:"What stands on the side of the people: group, directory, or the attribute whose values are told apart."`
	Groups   []ChartGroup  `json:"groups" doc:"Those that open most to most people; or the people by what they have in common, most first." nullable:"false"`
	Left     int           `json:"left" doc:"How many more there are."`
	Systems  []ChartSystem `json:"systems" doc:"By name." nullable:"false"`
	Links    []ChartLink   `json:"links" doc:"Which of these groups, or of these people, is named where." nullable:"false"`
}

// ChartGroup is a group that opens something.
type ChartGroup struct {
	Group  string `json:"group" doc:"Its name; or the directory or value that people have in common, which may be empty."`
	Kind   string `json:"kind" enum:"group,people,user"`
	People int    `json:"people" doc:"How many are in it, at all levels."`
}

// ChartSystem is a system on the chart.
type ChartSystem struct {
	System   string   `json:"system"`
	Type     string   `json:"type"`
	Title    string   `json:"title,omitempty"`
	People   int      `json:"people" doc:"How many its lines name."`
	Lines    int      `json:"lines"`
	Behind   []string `json:"behind" doc:"The systems that it is behind." nullable:"false"`
	Everyone bool     `json:"everyone" doc:"Whether some line of it is for everyone."`
	Systems  int      `json:"systems,omitempty" doc:"How many systems of this type are summed up; missing: it is one system."`
}

// ChartLink is a group that a system names.
type ChartLink struct {
	Group  string `json:"group"`
	System string `json:"system"`
	Lines  int    `json:"lines" doc:"In how many lines."`
	People int    `json:"people" doc:"How many of these people are named there."`
}

// Matched are the users whom a rule matches.
type Matched struct {
	Filter string   `json:"filter"`
	Count  int      `json:"count"`
	Sample []string `json:"sample" doc:"Some of them, by name." nullable:"false"`
	// Wrong and At say why the rule cannot be read, while it is being written.
	Wrong   string   `json:"wrong,omitempty" doc:"Why it cannot be read."`
	At      int      `json:"at,omitempty" doc:"At which character, from 1."`
	Unknown []string `json:"unknown,omitempty" doc:"Attributes that no user has."`
}

// Package finding holds what is found wrong, useless or risky in a map without
// being asked (docs/model.md section 8).
package finding

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/place"
)

// Severity ranks findings.
type Severity string

// The severities, the worst first.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
	Note    Severity = "note"
)

// Code names what is wrong.
type Code string

// The codes of docs/model.md section 8.
const (
	UnknownName      Code = "unknown-name"
	AmbiguousName    Code = "ambiguous-name"
	MailGroup        Code = "mail-group"
	GroupOutOfReach  Code = "group-out-of-reach"
	UnknownRight     Code = "unknown-right"
	UnknownAttribute Code = "unknown-attribute"

	Nesting       Code = "nesting"
	ForeignMember Code = "foreign-member"
	MailNested    Code = "mail-nested"
	Cycle         Code = "cycle"
	Shadowed      Code = "shadowed"
	TooEarly      Code = "too-early"
	EmptyGroup    Code = "empty-group"
	NoSeat        Code = "no-seat"
	Prerequisite  Code = "prerequisite"
	LockedOut     Code = "locked-out"
	AllToEveryone Code = "all-to-everyone"
	HalfLeft      Code = "half-left"
	LookAlike     Code = "look-alike"
	// BesideEveryone says that a line names groups or users beside everyone: true.
	BesideEveryone Code = "beside-everyone"
	NumberAsText   Code = "number-as-text"
	// UndeclaredObject says that a guarantee asks for an object that is not declared.
	UndeclaredObject Code = "undeclared-object"

	DirectUser      Code = "direct-user"
	Redundant       Code = "redundant"
	UnusedGroup     Code = "unused-group"
	Layering        Code = "layering"
	LoneAttribute   Code = "lone-attribute"
	InactiveMembers Code = "inactive-members"
	ExpectedCount   Code = "expected-count"
	ForeignAccount  Code = "foreign-account"

	// What is found in linked systems (docs/connected.md).
	Unreachable  Code = "unreachable"
	Excess       Code = "excess"
	Stranger     Code = "stranger"
	Short        Code = "short"
	StaleReading Code = "stale-reading"
	Undelivered  Code = "undelivered"

	// What is found of the accounts that sources decide (docs/connected.md, "New accounts").
	LeaverOn   Code = "leaver-on"
	AccountDue Code = "account-due"
)

var severities = map[Code]Severity{
	UnknownName: Error, AmbiguousName: Error, MailGroup: Error, GroupOutOfReach: Error,
	UnknownRight: Error, UnknownAttribute: Error,
	Nesting: Warning, ForeignMember: Warning, MailNested: Warning, Cycle: Warning,
	Shadowed: Warning, TooEarly: Warning, EmptyGroup: Warning, NoSeat: Warning, Prerequisite: Warning, LockedOut: Warning,
	AllToEveryone: Warning, HalfLeft: Warning, LookAlike: Warning, NumberAsText: Warning, BesideEveryone: Warning,
	UndeclaredObject: Warning,
	DirectUser:       Note, Redundant: Note, UnusedGroup: Note, Layering: Note, LoneAttribute: Note,
	InactiveMembers: Note, ExpectedCount: Note, ForeignAccount: Note,
	Unreachable: Error, Excess: Warning, Stranger: Warning, Undelivered: Warning, Short: Note, StaleReading: Note,
	LeaverOn: Warning, AccountDue: Note,
}

// Codes lists all codes, by name.
func Codes() []string {
	var codes []string
	for c := range severities {
		codes = append(codes, string(c))
	}
	slices.Sort(codes)
	return codes
}

// Where is the place of a finding: in a document, and in the map.
type Where struct {
	File   string `json:"file,omitempty" doc:"The document."`
	Line   int32  `json:"line,omitempty" doc:"The line in the document, from 1."`
	Column int32  `json:"column,omitempty" doc:"The column in the line, from 1."`
	System string `json:"system,omitempty" doc:"The system concerned."`
	Rule   string `json:"rule,omitempty" doc:"The line of the system's gate."`
}

// Finding is one thing found.
type Finding struct {
	Code     Code     `json:"code" doc:"What kind of thing is wrong (docs/model.md section 8)."`
	Severity Severity `json:"severity" enum:"error,warning,note"`
	Where    Where    `json:"where"`
	Message  string   `json:"message" doc:"What is wrong, in a sentence."`
	Fix      string   `json:"fix" doc:"What to do about it, in a sentence."`
	Names    []string `json:"names" doc:"The names concerned." nullable:"false"`
	// Key is the same as long as one thing lasts that is found, and of nothing else of its code and
	// system; "" where nobody asks for how long.
	Key string `json:"-"`
}

// New makes a finding at a place; the severity comes from the code.
func New(code Code, at place.Place, message, fix string, names ...string) Finding {
	if names == nil {
		names = []string{}
	}
	return Finding{
		Code: code, Severity: severities[code], Message: message, Fix: fix, Names: names,
		Where: Where{File: at.File, Line: at.Line, Column: at.Column},
	}
}

var rank = map[Severity]int{Error: 0, Warning: 1, Note: 2}

// Sort puts errors first, then warnings and notes; within them by code and
// place.
func Sort(list []Finding) {
	order := make([]int, len(list)) // numbers move faster than findings
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(i, j int) int {
		a, b := &list[i], &list[j]
		if a.Code != b.Code {
			return cmp.Or(cmp.Compare(rank[a.Severity], rank[b.Severity]), strings.Compare(string(a.Code), string(b.Code)))
		}
		return cmp.Or(
			strings.Compare(a.Where.File, b.Where.File),
			cmp.Compare(a.Where.Line, b.Where.Line),
			cmp.Compare(a.Where.Column, b.Where.Column),
			cmp.Compare(i, j),
		)
	})
	was := slices.Clone(list)
	for i, from := range order {
		list[i] = was[from]
	}
}

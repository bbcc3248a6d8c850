// Package federation is the gate type of claims for relying parties
// (docs/model.md section 5.8): what a sign-in carries, and who is let in.
package federation

import (
	"fmt"
	"path"
	"regexp"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/place"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "federation",
	Doc:  "Claims for relying parties, and who is let in.",
	New:  func() gate.Document { return &Document{} },
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Parties []Party `yaml:"parties,required" doc:"The relying parties."`
}

// Party is a relying party.
type Party struct {
	Place   place.Place `yaml:"-"`
	Party   place.Text  `yaml:"party,required" doc:"The name of the relying party."`
	Claims  []Claim     `yaml:"claims" doc:"What a sign-in carries: every rule adds its values."`
	Admit   []Statement `yaml:"admit" doc:"Who is let in: one refusal that holds refuses, else one permit admits."`
	Default Action      `yaml:"default" doc:"What holds where no statement does: refuse, unless said."`
}

// Action says what a statement does.
type Action string

// Values lists the actions.
func (Action) Values() []string { return []string{"permit", "refuse"} }

// Claim adds values to a claim.
type Claim struct {
	Place      place.Place `yaml:"-"`
	Claim      string      `yaml:"claim,required" doc:"The claim."`
	gate.Who   `yaml:",inline"`
	From       string     `yaml:"from" doc:"An attribute whose values it takes."`
	FromGroups bool       `yaml:"from_groups" doc:"true: it takes the names of the user's security groups that count here."`
	Matching   Glob       `yaml:"matching" doc:"Only groups whose name matches, with * and ?."`
	Pattern    Expression `yaml:"pattern" doc:"Only groups whose name matches this expression (RE2)."`
	Value      string     `yaml:"value" doc:"The value; for groups it can hold the captures of the pattern, as ${name}."`
}

// Glob is text with * and ? in it.
type Glob struct{ place.Text }

// literals are what every text that the pattern matches begins with, and the longest
// other thing that it has in it.
func (g *Glob) literals() (start, part string) {
	const special = `*?[\`
	at := strings.IndexAny(g.Value, special)
	if at < 0 {
		return g.Value, ""
	}
	start = g.Value[:at]
	if strings.ContainsAny(g.Value[at:], `[\`) {
		return start, ""
	}
	for _, p := range strings.FieldsFunc(g.Value[at:], func(r rune) bool { return strings.ContainsRune(special, r) }) {
		if len(p) > len(part) {
			part = p
		}
	}
	return start, part
}

// UnmarshalText checks the pattern.
func (g *Glob) UnmarshalText(text []byte) error {
	if _, err := path.Match(string(text), ""); err != nil {
		return fmt.Errorf("%q is not a pattern with * and ?", text)
	}
	g.Value = string(text)
	return nil
}

// Expression is a regular expression in the syntax of RE2.
type Expression struct{ *regexp.Regexp }

// UnmarshalText compiles the expression.
func (e *Expression) UnmarshalText(text []byte) error {
	re, err := regexp.Compile(string(text))
	if err != nil {
		return fmt.Errorf("%q is not a regular expression (RE2): %w", text, err)
	}
	e.Regexp = re
	return nil
}

// Statement permits or refuses.
type Statement struct {
	Place  place.Place `yaml:"-"`
	Permit *Test       `yaml:"permit" doc:"Lets in those for whom this holds."`
	Refuse *Test       `yaml:"refuse" doc:"Keeps out those for whom this holds."`
	Off    bool        `yaml:"off" doc:"true: the statement stays in its place, and is switched off."`
}

// Test is about a claim, or about who the user is.
type Test struct {
	Place    place.Place `yaml:"-"`
	Claim    string      `yaml:"claim" doc:"A claim of the sign-in: one of its values must fit."`
	Is       *string     `yaml:"is" doc:"The whole value."`
	Starts   *string     `yaml:"starts" doc:"What the value starts with."`
	Ends     *string     `yaml:"ends" doc:"What the value ends with."`
	gate.Who `yaml:",inline"`
}

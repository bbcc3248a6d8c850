// Package signin is the gate type of conditional sign-in policies (docs/model.md
// section 5.9).
package signin

import (
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "signin",
	Doc:  "Conditional sign-in policies.",
	New:  func() gate.Document { return &Document{} },
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Policies []Policy `yaml:"policies,required" doc:"The policies; every one that matches applies, in no order."`
	Default  Default  `yaml:"default" doc:"What holds where no policy matches: allow, unless said."`
}

// Default says what holds where no policy matches.
type Default string

// Values lists the defaults.
func (Default) Values() []string { return []string{"allow", "block"} }

// Mode says whether a policy counts.
type Mode string

// Values lists the modes; the first is the default.
func (Mode) Values() []string { return []string{"enforced", "watch", "disabled"} }

// Policy blocks or asks for more.
type Policy struct {
	Place    place.Place `yaml:"-"`
	Name     string      `yaml:"name,required" doc:"The name of the policy."`
	gate.Who `yaml:",inline"`
	Apps     []name.Ref      `yaml:"apps,required" doc:"The systems that it is for, or all."`
	When     *situation.When `yaml:"when" doc:"In which situations. Missing: always."`
	Then     Then            `yaml:"then,required" doc:"block, or what is required."`
	Mode     Mode            `yaml:"mode" doc:"enforced (unless said); watch: changes nothing, but is reported; disabled."`
}

// Then is what a policy does: block, or require.
type Then struct {
	Block   bool          `yaml:"-"`
	Require []Requirement `yaml:"require,required" doc:"What the sign-in must meet: all of it."`
}

// MarshalText gives the word block, or nothing where something is required.
func (t Then) MarshalText() ([]byte, error) {
	if t.Block {
		return []byte("block"), nil
	}
	return nil, nil
}

// UnmarshalText takes the word block.
func (t *Then) UnmarshalText(text []byte) error {
	if string(text) != "block" {
		return errThen
	}
	t.Block = true
	return nil
}

// Requirement is something that a sign-in must meet.
type Requirement string

// Values lists the requirements.
func (Requirement) Values() []string {
	return []string{"aal1", "aal2", "aal3", "managed-device", "compliant-device"}
}

// condition is the requirement as a condition on the situation.
func (r Requirement) condition() *situation.When {
	switch r {
	case "managed-device":
		return &situation.When{Device: []situation.Property{"managed"}}
	case "compliant-device":
		return &situation.When{Device: []situation.Property{"compliant"}}
	}
	return &situation.When{Strength: []situation.Strength{situation.Strength(r)}}
}

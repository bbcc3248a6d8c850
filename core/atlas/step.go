package atlas

import (
	"strings"

	"gatemap/core/situation"
)

// Step is one thing that has to be so on a way in, as a text: group:NAME (a membership),
// attribute:NAME=VALUE, attribute:NAME (any value), account:active, account:longer, or a need.
type Step string

// What has to be otherwise of an account.
const (
	Active Step = "account:active" // it is switched on
	Longer Step = "account:longer" // its end is later
)

func joining(group string) Step            { return Step("group:" + group) }
func having(attribute string) Step         { return Step("attribute:" + attribute) }
func setting(attribute, value string) Step { return having(attribute) + Step("="+value) }

// Group is the group of which the step is a membership.
func (s Step) Group() (name string, is bool) { return strings.CutPrefix(string(s), "group:") }

// Attribute is the attribute that has to have a value; it is any one unless it is given.
func (s Step) Attribute() (name, value string, given, is bool) {
	if name, is = strings.CutPrefix(string(s), "attribute:"); !is {
		return "", "", false, false
	}
	name, value, given = strings.Cut(name, "=")
	return name, value, given, true
}

// Need is what the step asks of the situation.
func (s Step) Need() (n situation.Need, is bool) {
	_, group := s.Group()
	_, _, _, attribute := s.Attribute()
	return situation.Need(s), !group && !attribute && s != Active && s != Longer
}

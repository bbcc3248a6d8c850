package answer

import (
	"encoding/json"
	"fmt"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/rule"
	"gatemap/stage"
)

// Way is what is enough for an entitlement, with the changes that make it so in a trial.
type Way struct {
	atlas.Way
	Stage []stage.Change `json:"stage,omitempty" doc:"Changes to stage as they stand; missing where it takes more than changes of the map."`
}

// NewWay is a way for a user, with the changes to stage: of memberships, attributes that
// are to have a value, and the account. Others depend on the situation.
func NewWay(w atlas.Way, user string) Way {
	way := Way{Way: w}
	for _, c := range w.Changes {
		group, joins := c.Group()
		attribute, value, given, has := c.Attribute()
		switch {
		case joins:
			way.Stage = append(way.Stage, stage.Change{Do: stage.Join, Group: group, Member: user})
		case given:
			way.Stage = append(way.Stage, setting(user, attribute, value))
		case c == atlas.Active:
			way.Stage = append(
				way.Stage,
				stage.Change{Do: stage.SetUser, User: user, Attribute: "active", Value: json.RawMessage("true")},
			)
		case has || c == atlas.Longer:
			way.Stage = nil
			return way
		}
	}
	return way
}

// setting is the change that gives an attribute of a user a value.
func setting(user, attribute, value string) stage.Change {
	if value == "true" || value == "false" {
		return stage.Change{Do: stage.SetUser, User: user, Attribute: attribute, Value: json.RawMessage(value)}
	}
	text, err := json.Marshal(value)
	if err != nil {
		panic(err) // a text can be written
	}
	return stage.Change{Do: stage.SetUser, User: user, Attribute: attribute, Value: text}
}

// outcomes are what a way makes of an entitlement.
var outcomes = map[rule.State]string{rule.Open: "opens it", rule.Depends: "gives it, on conditions"}

// WayIn puts one way to an entitlement into words.
func WayIn(w atlas.Way) string {
	var parts, needs []string
	brings := false
	for _, c := range w.Changes {
		group, joins := c.Group()
		attribute, value, given, has := c.Attribute()
		need, asks := c.Need()
		brings = brings || joins || given
		switch {
		case joins:
			parts = append(parts, "membership of "+group)
		case given:
			parts = append(parts, fmt.Sprintf("%s %q", attribute, value))
		case has:
			parts = append(parts, "a value for the attribute "+attribute)
		case asks:
			needs = append(needs, Need(need))
		default:
			parts = append(parts, accounts[c])
		}
	}
	if len(needs) > 0 {
		parts = append(parts, "a situation in which "+strings.Join(needs, " and "))
	}
	sentence := "Way in: " + strings.Join(parts, ", and ")
	sentence += " " + outcomes[w.State]
	switch {
	case !brings:
		return sentence
	case w.Brings == 0:
		return sentence + ", and brings nothing else"
	}
	if w.Brings == 1 {
		return fmt.Sprintf("%s, and brings another entitlement: %s", sentence, strings.Join(w.Sample, ", "))
	}
	return fmt.Sprintf(
		"%s, and brings %d other entitlements: %s",
		sentence,
		w.Brings,
		strings.Join(w.Sample, ", ")+ellipsis(w.Brings > len(w.Sample)),
	)
}

// accounts are what can be otherwise of an account.
var accounts = map[atlas.Step]string{
	atlas.Active: "switching the account on", atlas.Longer: "a later end of the account",
}

package answer

import (
	"encoding/json"
	"strings"

	"gatemap/core/atlas"
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
		kind, value, _ := strings.Cut(c, ":")
		attribute, is, set := strings.Cut(value, "=")
		switch {
		case kind == "group":
			way.Stage = append(way.Stage, stage.Change{Do: stage.Join, Group: value, Member: user})
		case kind == "attribute" && set:
			way.Stage = append(way.Stage, setting(user, attribute, is))
		case c == "account:active":
			way.Stage = append(way.Stage, stage.Change{Do: stage.SetUser, User: user, Attribute: "active", Value: json.RawMessage("true")})
		case kind == "attribute" || kind == "account":
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

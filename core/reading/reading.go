// Package reading is what a real system held at one moment (docs/connected.md): its own accounts
// and groups, and a document in the terms of its gate type. It ties them to the people and groups
// of a map, compiles them so that every question can be asked of them, and says how they differ
// from the map. It reads no system itself.
package reading

import (
	"cmp"
	"time"

	"gatemap/core/gate"
)

// Reading is what one system held. It is not changed once it is whole.
type Reading struct {
	System   string
	Type     string    // of its gate
	At       time.Time // of what was read: a list is as old as its file
	Server   string    // what answered
	Accounts []Account
	Groups   []Group
	// Document says what they hold. Users and groups in it are accounts and groups of the system,
	// by their names there.
	Document gate.Document
	// Objects are what is there, with the kind of each, and Rights are those that can be held on
	// objects of a kind. Without them anything can be held anywhere.
	Objects map[string]string
	Rights  map[string][]string
	// Beyond is what the gate type cannot express.
	Beyond []Beyond
	// Unseen says what the account that read was not allowed to see.
	Unseen []string
	// Native is what the kind of its link has to know to deliver; it is not kept.
	Native any
}

// Account is an account of a system.
type Account struct {
	Name   string `json:"name"`           // there
	Active bool   `json:"active"`         // false: nobody can sign in with it
	Note   string `json:"note,omitempty"` // what the system says of it
	Of     string `json:"of,omitempty"`   // the identifier of the record whose account it is, where the system was told
}

// Group is a group of a system.
type Group struct {
	Name     string   `json:"name"`
	Of       string   `json:"of,omitempty"`       // the name by which it goes with a group of the map; without one Name
	On       string   `json:"on,omitempty"`       // the object on which it is so; without one everywhere
	Accounts []string `json:"accounts,omitempty"` // directly in it
	Groups   []string `json:"groups,omitempty"`   // directly in it
}

// own is the name by which it goes with a group of the map.
func (g *Group) own() string { return cmp.Or(g.Of, g.Name) }

// Beyond is something that a system holds and its gate type cannot express.
type Beyond struct {
	What string `json:"what" doc:"What kind of thing it is."`
	Text string `json:"text" doc:"As the system has it."`
}

// can says whether a right can be held on an object: of an object that is not there, and where
// the reading does not say, any right can.
func (r *Reading) can(object, right string) bool {
	kind, there := r.Objects[object]
	if !there {
		return true
	}
	for _, x := range r.Rights[kind] {
		if x == right {
			return true
		}
	}
	return false
}

// has says whether an object is there, as far as the reading tells.
func (r *Reading) has(object string) bool {
	_, there := r.Objects[object]
	return there || r.Objects == nil
}

// Package delivery says what a real system is to hold by a map, in the names of that system, and
// what of it is not delivered (docs/connected.md, "Delivery"). It reaches no system: the kinds of
// links turn what is wanted into statements.
package delivery

import (
	"cmp"
	"strings"

	"gatemap/core/gate"
)

// Wanted is what a system is to hold under our names. It is not changed once it is whole.
type Wanted struct {
	Accounts []Account // by name
	Groups   []Group   // by name
	Grants   []Grant   // by whom, object and right
	// Left is what the map gives and is not delivered, and Through what is given without the
	// condition that it has in the map.
	Left, Through []Left
	Problems      []Problem

	// There is what groups and accounts there are given, by their names; it is worked out when it is asked
	// for.
	There func() map[string]map[Permission]bool

	// Document is what the system's lines say.
	Document gate.Document
	// Known are the accounts there that belong to users of the map, with these, and Unknown those
	// that can be used and belong to nobody, not even to one of several.
	Known   map[string]string
	Unknown []string
	// Held is what accounts hold there, by object and right, where each is granted what its user
	// holds.
	Held map[string][]Permission

	// Strangers says that what people hold beside our names is taken away, too.
	Strangers bool

	link *gate.Link
}

// Account is an account of a user of the map.
type Account struct {
	Name string // there
	User string // by full name
	ID   string // the identifier of the user's record; "": it has none
	On   bool   // it is to be usable; false: it is to be switched off
}

// Group is a group that goes with one of the map.
type Group struct {
	Name string // there
	Of   string // of the map, by full name
	// Used says that it is granted something. One that is not may lose members, and gets none.
	Used     bool
	Accounts []string // by name there: who is to be in it
}

// Grant gives a right on an object to all in a group, or to an account.
type Grant struct {
	Group, Account string // one of them, by name there
	Object, Right  string
	Line           string // of the map, as SYSTEM/NAME: the first that gives it
	// Lines are those that give it to all whom they name, without a condition that counts: each of
	// them alone may be made to.
	Lines []string
}

// Whom is the group or account, and Permission what it is given.
func (g *Grant) Whom() string           { return cmp.Or(g.Group, g.Account) }
func (g *Grant) Permission() Permission { return Permission{g.Object, g.Right} }

// Why says why something is not delivered.
type Why string

// Why something is not delivered, or not as it is written.
const (
	ByCondition Why = "condition" // it holds in some situations only
	ByMembers   Why = "members"   // some of the group do not hold it
	ByBelow     Why = "below"     // something that lies below would come with it, and is not held
	ByEveryone  Why = "everyone"  // it is given to everyone
	ByClaim     Why = "claim"     // it is given by claims
	ByObject    Why = "object"    // there is no such object
	ByKind      Why = "kind"      // no statement gives it
)

// Left is what one line gives to one whom it names, and is not delivered as it is written.
type Left struct {
	Line        string
	Whom        string // by full name; "" where it is everyone's
	Why         Why
	Needs       []string     // what its condition asks for
	Permissions []Permission `json:"Points"` // the first of what it is about; by the key of what was kept before
	All         int          // how much it is about
	People      int          // of members: how many of them do not hold it, at most
}

// Permission is an object with a right.
type Permission struct{ Object, Right string }

// Compare orders permissions by object and right.
func (p Permission) Compare(q Permission) int {
	return cmp.Or(strings.Compare(p.Object, q.Object), strings.Compare(p.Right, q.Right))
}

// Problem is a record of the map that cannot be delivered by its name.
type Problem struct {
	Record string // by full name
	Name   string // as it is written there
	Why    NameFault
}

// NameFault says what is wrong with a name.
type NameFault string

// What can be wrong with a name.
const (
	NoName     NameFault = "missing" // the record has no value for an attribute of which it is made
	TwoRecords NameFault = "twice"   // several records are written so
	NotOurs    NameFault = "ignored" // the link leaves such a name aside
	OfOthers   NameFault = "taken"   // what is there by this name belongs to another record
	Refused    NameFault = "refused" // the system does not take it
)

// Ours says whether a name of a group is written as only ours are.
func (w *Wanted) Ours(group string) bool {
	return w.link.Names.OwnGroup(group) && !w.link.Ignore.Group(group)
}

// GroupFor is what a group of our own is called that stands for one account.
func (w *Wanted) GroupFor(account string) string { return w.link.Names.Group(account) }

// Aside says whether the link leaves an account aside, and AsideGroup the same of a group.
func (w *Wanted) Aside(account string) bool    { return w.link.Ignore.Account(account) }
func (w *Wanted) AsideGroup(group string) bool { return w.link.Ignore.Group(group) }

package answer

import (
	"encoding/json"
	"time"

	"gatemap/core/gate"
)

// Map says what map the service holds, with the names that a situation can
// refer to.
type Map struct {
	Title    string    `json:"title" doc:"What the map is of."`
	Revision int       `json:"revision" doc:"Number of the newest revision; 0: there is none."`
	TimeZone string    `json:"time_zone" doc:"Time zone of the windows (IANA name)."`
	Networks []Network `json:"networks" nullable:"false"`
	Windows  []Window  `json:"windows" nullable:"false"`
	Users    int       `json:"users"`
	Groups   int       `json:"groups"`
	Systems  int       `json:"systems"`
}

// SignedIn says whether the console is signed in.
type SignedIn struct {
	SignedIn bool     `json:"signed_in"`
	Name     string   `json:"name,omitempty" doc:"As whom."`
	Role     string   `json:"role,omitempty"`
	Rights   []string `json:"rights" doc:"What that one may do." nullable:"false"`
	Provider bool     `json:"provider" doc:"Whether one can sign in by OpenID Connect."`
}

// Network is a named network.
type Network struct {
	Name   string   `json:"name"`
	Ranges []string `json:"ranges" doc:"Prefixes (RFC 4632, RFC 4291)." nullable:"false"`
}

// Window is a named weekly window on the wall clock.
type Window struct {
	Name string   `json:"name"`
	Days []string `json:"days" doc:"The days on which it starts." nullable:"false"`
	From string   `json:"from" doc:"HH:MM."`
	To   string   `json:"to" doc:"HH:MM; not after from: it runs past midnight."`
}

// Revisions lists versions of the map.
type Revisions struct {
	Revisions []Revision `json:"revisions" doc:"The newest first." nullable:"false"`
	Next      string     `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
}

// Revision is one version of the map.
type Revision struct {
	Number    int       `json:"revision"`
	At        time.Time `json:"at"`
	Author    string    `json:"author"`
	Reason    string    `json:"reason"`
	Trial     string    `json:"trial,omitempty" doc:"The trial that it came from."`
	Reverts   int       `json:"reverts,omitempty" doc:"The revision that it reverts."`
	Overrides string    `json:"overrides,omitempty" doc:"What was overridden, by whom and why."`
	Changes   []string  `json:"changes,omitempty" doc:"What was changed, in sentences; only for a single revision."`
	Written   []Writing `json:"written,omitempty" doc:"The directories to which it was written first, where their records come from; only for a single revision."`
	Arrived   []Arrival `json:"arrived,omitempty" doc:"The linked systems where it arrived: by the first delivery of it or of a later one; only for a single revision."`
}

// Arrival says when what a revision says was in a linked system.
type Arrival struct {
	System   string    `json:"system"`
	At       time.Time `json:"at"`
	Delivery int64     `json:"delivery" doc:"Number of the delivery."`
	Revision int       `json:"revision" doc:"The revision that was delivered: this one, or a later one."`
}

// Writing says when a revision was written to a directory.
type Writing struct {
	Directory string    `json:"directory"`
	At        time.Time `json:"at"`
}

// User is what a directory says of a user.
type User struct {
	User        string         `json:"user" doc:"Full name."`
	DisplayName string         `json:"display_name,omitempty"`
	Active      bool           `json:"active"`
	Expires     *time.Time     `json:"expires,omitempty"`
	DN          string         `json:"dn,omitempty"`
	Attributes  map[string]any `json:"attributes" doc:"By SCIM name, or the source's own."`
	Groups      int            `json:"groups" doc:"How many groups the user is a member of."`
}

// GroupInfo is what a directory says of a group.
type GroupInfo struct {
	Group       string   `json:"group" doc:"Full name."`
	Description string   `json:"description,omitempty"`
	Kind        string   `json:"kind" enum:"security,mail"`
	MembersFrom string   `json:"members_from" enum:"own,any"`
	UsableIn    string   `json:"usable_in" enum:"host,own,any"`
	Host        string   `json:"host,omitempty"`
	Rule        string   `json:"rule,omitempty" doc:"Filter (RFC 7644 section 3.4.2.2)."`
	DN          string   `json:"dn,omitempty"`
	Members     int      `json:"members" doc:"How many users, at all levels."`
	Groups      []string `json:"groups" doc:"Groups that are direct members of it." nullable:"false"`
	MemberOf    []string `json:"member_of" doc:"Groups of which it is a direct member." nullable:"false"`
	Managers    []string `json:"managers" doc:"Users who may change its members." nullable:"false"`
	ManagedBy   []string `json:"managed_by" doc:"Groups whose members may." nullable:"false"`
}

// SystemInfo is what the map says of a system.
type SystemInfo struct {
	System    string       `json:"system"`
	Type      string       `json:"type"`
	Title     string       `json:"title,omitempty"`
	Directory string       `json:"directory,omitempty"`
	Requires  []string     `json:"requires" nullable:"false"`
	Seats     []gate.Seats `json:"seats,omitempty" doc:"The seats of its products."`
	gate.Catalogue
	File     string          `json:"file,omitempty" doc:"The file in which it is written."`
	Document json.RawMessage `json:"document,omitempty" doc:"What is written of it."`
}

// SystemRoles are the roles of a system.
type SystemRoles struct {
	System string      `json:"system"`
	Type   string      `json:"type"`
	Roles  []gate.Role `json:"roles" nullable:"false"`
}

// Documents are the files of a map.
type Documents struct {
	Revision int               `json:"revision"`
	Files    map[string]string `json:"files" doc:"Their contents, by path."`
}

package directory

import (
	"fmt"
	"strings"

	"gatemap/core/name"
	"gatemap/core/place"
)

// Source says where a directory's records come from and how its attributes
// become ours. It is data only; package connect acts on it.
type Source struct {
	Place        place.Place  `yaml:"-"`
	Connection   Connection   `yaml:",connection"`
	Table        place.Text   `yaml:"table" doc:"An attribute table: open-schemas, domain-controller, or one of the map's own. What users, groups and devices say here goes before it."`
	Feeds        *Feeds       `yaml:"feeds" doc:"The records are no accounts: they decide some attributes of accounts in another directory."`
	Follow       Follow       `yaml:"follow" doc:"stream: the server sends changes as they happen (RFC 4533); poll: the service asks for them."`
	Poll         Span         `yaml:"poll" doc:"How often to ask for changes, with follow: poll. Missing: 10s."`
	Verify       Span         `yaml:"verify" doc:"How often, with follow, the identifiers of everything are compared with what is known, to find what the server does not tell. Missing: 5m."`
	Every        Span         `yaml:"every" doc:"How often to read everything, such as 6h. Missing: when asked, and every 6h with follow."`
	Inactive     Inactive     `yaml:"inactive" doc:"What to do with inactive accounts: take (default) or skip them."`
	Vanished     Vanished     `yaml:"vanished" doc:"What to do with accounts that are no longer in the source: remove (default) or deactivate them."`
	RemovalLimit *Percent     `yaml:"removal_limit" former:"guard" doc:"How many of the active users, or of the groups, one run may remove or deactivate unconfirmed, such as 5%. Missing: 5%."`
	Write        []Write      `yaml:"write" doc:"What a commit that changes records writes where they come from: members (of groups), attributes, active (whether accounts are), users (accounts that are made or moved), groups (that are made or removed). Missing: nothing, and the next run restores what is there."`
	Accounts     *Accounts    `yaml:"accounts" doc:"What accounts are to be of people whom a source that feeds the directory knows; with write: users."`
	NewGroups    *NewGroups   `yaml:"new_groups" doc:"What entries of new groups are to be at a directory server; with write: groups."`
	Users        *UserTable   `yaml:"users" doc:"Which entries are users."`
	Groups       *GroupTable  `yaml:"groups" doc:"Which entries are groups."`
	Devices      *DeviceTable `yaml:"devices" doc:"Which entries are devices."`
}

// Connection says how a source, a system that is linked, or a receiver of notices is reached: by a connector (package
// connect), whose document stands under its name. The zero Connection is none.
type Connection struct {
	Name     string // of its kind
	Live     bool   // as of its kind
	Document any
}

// ConnectionKind is what a map has to know of a connector.
type ConnectionKind struct {
	Name string     // the key of its document
	Doc  string     // what it connects to, in one sentence
	Live bool       // the records come from elsewhere than from files of the map folder
	New  func() any // a pointer to an empty document of a source; nil: it is for none
	// Link makes a pointer to an empty document of a link; nil: it is for none.
	Link func() any
	// Notify makes a pointer to an empty document of a receiver of notices; nil: it is for none.
	Notify func() any
}

// UsualLimit is the removal limit where none is named.
const UsualLimit Percent = 5

// Limit is the share that a run may remove or deactivate unconfirmed.
func (s *Source) Limit() Percent {
	if s.RemovalLimit == nil {
		return UsualLimit
	}
	return *s.RemovalLimit
}

// Feeds says of which accounts a source decides attributes: of those in a
// directory whose attribute By has the value that the record has for it.
type Feeds struct {
	Place     place.Place `yaml:"-"`
	Directory name.Ref    `yaml:"directory,required" doc:"The directory that has the accounts."`
	By        string      `yaml:"by,required" doc:"The attribute that joins a record to its accounts."`
	Decides   []string    `yaml:"decides,required" doc:"The attributes that the source decides; one that it leaves empty is empty."`
}

// SamePerson says how the accounts of a directory belong to people who have accounts
// in another.
type SamePerson struct {
	Place     place.Place `yaml:"-"`
	Directory name.Ref    `yaml:"directory,required" doc:"The directory that has other accounts of the same people."`
	By        string      `yaml:"by,required" doc:"The attribute of which the accounts of one person have the same value."`
}

// Follow says how changes come in between full runs.
type Follow string

// Values lists the ways.
func (Follow) Values() []string { return []string{"stream", "poll"} }

// Inactive says what becomes of inactive accounts.
type Inactive string

// Values lists the ways; take is the default.
func (Inactive) Values() []string { return []string{"take", "skip"} }

// Vanished says what becomes of accounts that are not in the source any more.
type Vanished string

// Values lists the ways; remove is the default.
func (Vanished) Values() []string { return []string{"remove", "deactivate"} }

// Write is what of records is written where they come from.
type Write string

// What can be written.
const (
	WriteMembers    Write = "members"
	WriteAttributes Write = "attributes"
	WriteActive     Write = "active"
	WriteUsers      Write = "users"
	WriteGroups     Write = "groups"
)

// Values lists what can be written.
func (Write) Values() []string { return []string{"members", "attributes", "active", "users", "groups"} }

// Base is a place in the tree of a source, with how far below it to look.
type Base struct {
	place.Text
	Scope Scope
}

// Scope says how far below a base entries are meant (RFC 4511 section 4.5.1.2).
type Scope string

// Values lists the scopes; sub is the default.
func (Scope) Values() []string { return []string{"sub", "one", "base"} }

// UnmarshalText reads a distinguished name, with its scope in front where that
// is not sub: "one:ou=people,dc=cindervale,dc=example".
func (b *Base) UnmarshalText(text []byte) error {
	b.Value, b.Scope = string(text), "sub"
	for _, s := range b.Scope.Values() {
		if rest, ok := strings.CutPrefix(string(text), s+":"); ok {
			b.Value, b.Scope = rest, Scope(s)
		}
	}
	if _, ok := name.DN(b.Value); !ok {
		return fmt.Errorf("%q is not a distinguished name (RFC 4514)", b.Value)
	}
	return nil
}

// MarshalText gives back what UnmarshalText reads.
func (b Base) MarshalText() ([]byte, error) {
	if b.Scope == "" || b.Scope == "sub" {
		return []byte(b.Value), nil
	}
	return []byte(string(b.Scope) + ":" + b.Value), nil
}

// SetPlace notes where the base stands.
func (b *Base) SetPlace(p place.Place) { b.Place = p }

// Pick says which entries of a source are meant.
type Pick struct {
	Base   []Base     `yaml:"base" doc:"Distinguished names below which the entries are, with the prefix one: for direct children or base: for that entry only. Missing: anywhere."`
	Filter place.Text `yaml:"filter" doc:"Which entries (RFC 4515). Missing: all that have the name attribute."`
	Name   string     `yaml:"name" doc:"The attribute that holds the name; needed where no table says it."`
	Key    string     `yaml:"key" doc:"For files: the attribute that identifies a record for good, whatever its name. Missing: entryUUID or objectGUID, where the file has them."`
}

// UserTable turns entries into users.
type UserTable struct {
	Place        place.Place `yaml:"-"`
	Pick         `yaml:",inline"`
	Disabled     place.Text        `yaml:"disabled" doc:"A filter (RFC 4515) that holds for inactive accounts."`
	Expires      Date              `yaml:"expires" doc:"The attribute that holds the end of the account, or {attribute, form}."`
	PrimaryGroup string            `yaml:"primary_group" doc:"The attribute that names the primary group, by name, distinguished name or number."`
	Attributes   map[string]string `yaml:"attributes" doc:"Our attribute: the source's attribute. Missing: every attribute under its own name."`
}

// Date is an attribute that holds a time, and how it is written.
type Date struct {
	Attribute string `yaml:"attribute,required" doc:"The attribute."`
	Form      Form   `yaml:"form" doc:"time (unless said): generalized time (RFC 4517 section 3.3.13) or RFC 3339; days: since 1970-01-01; ticks: of 100 ns since 1601-01-01, where 0 and the greatest number mean never."`
}

// Form is how a time is written.
type Form string

// Values lists the forms; time is the default.
func (Form) Values() []string { return []string{"time", "days", "ticks"} }

// UnmarshalText reads the name of an attribute that holds a time in plain form.
func (d *Date) UnmarshalText(text []byte) error {
	d.Attribute = string(text)
	return nil
}

// GroupTable turns entries into groups.
type GroupTable struct {
	Place       place.Place `yaml:"-"`
	Pick        `yaml:",inline"`
	Members     []string                   `yaml:"members" doc:"The attributes that list members, by distinguished name or by name."`
	Number      string                     `yaml:"number" doc:"The attribute that holds the number by which users name their primary group; of a binary security identifier its last part is the number."`
	Description string                     `yaml:"description" doc:"The attribute that says what the group is for."`
	Managers    string                     `yaml:"managers" doc:"The attribute that lists the managers, by distinguished name or by name."`
	Kind        map[Kind]place.Text        `yaml:"kind" doc:"Kind: a filter (RFC 4515) that holds for groups of that kind."`
	MembersFrom map[MembersFrom]place.Text `yaml:"members_from" former:"draws" doc:"Reach: a filter (RFC 4515) that holds for groups with it."`
	UsableIn    map[UsableIn]place.Text    `yaml:"usable_in" former:"opens" doc:"Reach: a filter (RFC 4515) that holds for groups with it."`
	Host        string                     `yaml:"host" doc:"The system in which groups usable in host count."`
}

// DeviceTable turns entries into devices.
type DeviceTable struct {
	Place        place.Place `yaml:"-"`
	Pick         `yaml:",inline"`
	PrimaryGroup string     `yaml:"primary_group" doc:"The attribute that names the primary group, as for users."`
	Managed      place.Text `yaml:"managed" doc:"A filter (RFC 4515) that holds for managed devices."`
	Compliant    place.Text `yaml:"compliant" doc:"A filter (RFC 4515) that holds for compliant devices."`
}

// Over fills what a source leaves open from an attribute table. A source that
// names any of users, groups and devices itself takes the others from it too.
func (s *Source) Over(table *Source) {
	s.Users = over(s.Users, table.Users, func(own, under *UserTable) {
		pick(&own.Pick, &under.Pick)
		supply(&own.Disabled, under.Disabled)
		supply(&own.Expires, under.Expires)
		supply(&own.PrimaryGroup, under.PrimaryGroup)
		if own.Attributes == nil {
			own.Attributes = under.Attributes
		}
	})
	s.Groups = over(s.Groups, table.Groups, func(own, under *GroupTable) {
		pick(&own.Pick, &under.Pick)
		if own.Members == nil {
			own.Members = under.Members
		}
		supply(&own.Number, under.Number)
		supply(&own.Description, under.Description)
		supply(&own.Managers, under.Managers)
		supply(&own.Host, under.Host)
		if own.Kind == nil {
			own.Kind = under.Kind
		}
		if own.MembersFrom == nil {
			own.MembersFrom = under.MembersFrom
		}
		if own.UsableIn == nil {
			own.UsableIn = under.UsableIn
		}
	})
	s.Devices = over(s.Devices, table.Devices, func(own, under *DeviceTable) {
		pick(&own.Pick, &under.Pick)
		supply(&own.PrimaryGroup, under.PrimaryGroup)
		supply(&own.Managed, under.Managed)
		supply(&own.Compliant, under.Compliant)
	})
}

func over[T any](own, under *T, merge func(own, under *T)) *T {
	switch {
	case own == nil:
		return under
	case under != nil:
		merge(own, under)
	}
	return own
}

func pick(own, under *Pick) {
	if own.Base == nil {
		own.Base = under.Base
	}
	supply(&own.Filter, under.Filter)
	supply(&own.Name, under.Name)
	supply(&own.Key, under.Key)
}

func supply[T comparable](own *T, under T) {
	var none T
	if *own == none {
		*own = under
	}
}

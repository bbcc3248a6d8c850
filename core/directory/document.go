// Package directory holds users, groups and devices, and computes who is a
// member of what, how, and by which path (docs/model.md section 3). It reads
// no files and asks no server: records come in as documents.
package directory

import (
	"fmt"
	"time"

	"gatemap/core/filter"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Document is one directory as it was written or brought in.
type Document struct {
	Place      place.Place `yaml:"-"`
	Name       string      `yaml:"directory,required" doc:"The name of the directory; full names are written directory/name."`
	Title      string      `yaml:"title" doc:"What it is, for people."`
	Exact      []string    `yaml:"exact" doc:"Attributes whose values are compared case-sensitively."`
	Source     *Source     `yaml:"source" doc:"Where the users, groups and devices come from, besides those listed here."`
	SamePerson *SamePerson `yaml:"same_person" former:"joins" doc:"How its accounts are matched with accounts of the same people in another directory."`
	Users      []*User     `yaml:"users" doc:"The accounts of people."`
	Devices    []*Device   `yaml:"devices" doc:"The computers."`
	Groups     []*Group    `yaml:"groups" doc:"The groups."`
}

// User is the account of a person.
type User struct {
	Place        place.Place `yaml:"-"`
	ID           string      `yaml:"-"` // the immutable identifier in the source; "": it gives none
	Name         string      `yaml:"userName,required" doc:"The name the user signs in with."`
	DN           string      `yaml:"dn" doc:"Distinguished name (RFC 4514)."`
	PrimaryGroup name.Ref    `yaml:"primary_group" doc:"A group that the user's record itself names."`
	Active       *bool       `yaml:"active" doc:"false: the account is inactive. Missing: true."`
	Expires      Instant     `yaml:"expires" doc:"When the account expires (RFC 3339)."`
	Attributes   Attributes  `yaml:",rest" doc:"Any other key is an attribute of the user, by its SCIM name (RFC 7643) where it has one."`
}

// IsActive says whether the account is active.
func (u *User) IsActive() bool { return u.Active == nil || *u.Active }

// isBounded says whether the account is inactive or expires.
func (u *User) isBounded() bool { return !u.IsActive() || !u.Expires.IsZero() }

// Device is a computer.
type Device struct {
	Place        place.Place `yaml:"-"`
	ID           string      `yaml:"-"` // as of a user
	Name         string      `yaml:"name,required" doc:"The name of the computer."`
	DN           string      `yaml:"dn" doc:"Distinguished name (RFC 4514)."`
	PrimaryGroup name.Ref    `yaml:"primary_group" doc:"A group that the computer's record itself names."`
	Managed      *bool       `yaml:"managed" doc:"Under the observatory's own management. Missing: unknown."`
	Compliant    *bool       `yaml:"compliant" doc:"Compliant with the rules for its kind. Missing: unknown."`
	Attrs        Attributes  `yaml:",rest" doc:"Any other key is an attribute of the device."`
}

// Kind says what a group is for.
type Kind string

// Values lists the kinds; the first is the default.
func (Kind) Values() []string { return []string{"security", "mail"} }

// MembersFrom says where the members of a group may come from.
type MembersFrom string

// Values lists the ways; any is the default.
func (MembersFrom) Values() []string { return []string{"own", "any"} }

// UsableIn says where a group counts.
type UsableIn string

// Values lists the ways from the narrowest; any is the default.
func (UsableIn) Values() []string { return []string{"host", "own", "any"} }

// width orders the reach: host < own < any. The empty value is any.
func (o UsableIn) width() int {
	switch o {
	case "host":
		return 0
	case "own":
		return 1
	}
	return 2
}

// Group is a group of users, devices and other groups.
type Group struct {
	Place       place.Place `yaml:"-"`
	ID          string      `yaml:"-"` // as of a user
	Name        string      `yaml:"name,required" doc:"The name of the group."`
	DN          string      `yaml:"dn" doc:"Distinguished name (RFC 4514)."`
	Description string      `yaml:"description" doc:"What the group is for."`
	Kind        Kind        `yaml:"kind" doc:"security carries access; mail is for addressing only."`
	MembersFrom MembersFrom `yaml:"members_from" former:"draws" doc:"own: members of its own directory only; any (default): members of every directory."`
	UsableIn    UsableIn    `yaml:"usable_in" former:"opens" doc:"Where the group can be used. host: in the system that host names; own: in systems of its directory; any (default): everywhere."`
	Host        string      `yaml:"host" doc:"The one system in which a group with usable_in: host can be used."`
	Rule        *Rule       `yaml:"rule" doc:"A filter (RFC 7644 section 3.4.2.2) over the attributes of users; such a group lists no members."`
	Members     *Members    `yaml:"members" doc:"Who is listed as a member."`
	Managers    *People     `yaml:"managers" doc:"Who may change the members."`
	Expect      *int        `yaml:"expect" doc:"How many active members the group should have."`
}

// Members lists the members of a group by name.
type Members struct {
	Users   []name.Ref `yaml:"users"`
	Groups  []name.Ref `yaml:"groups"`
	Devices []name.Ref `yaml:"devices"`
	// Any holds references of sources that do not say what they refer to:
	// a user, a group or a device.
	Any []name.Ref `yaml:"-"`
}

// People names users and groups.
type People struct {
	Users  []name.Ref `yaml:"users"`
	Groups []name.Ref `yaml:"groups"`
}

// Rule is a filter with the text it was written as.
type Rule struct {
	Text   string
	Filter *filter.Filter
	Place  place.Place
}

// UnmarshalText parses the filter.
func (r *Rule) UnmarshalText(text []byte) error {
	f, err := filter.Parse(string(text))
	if err != nil {
		return fmt.Errorf("the rule %q has an error at %w", text, err)
	}
	r.Text, r.Filter = string(text), f
	return nil
}

// MarshalText gives back the rule as written.
func (r Rule) MarshalText() ([]byte, error) { return []byte(r.Text), nil }

// SetPlace notes where the rule stands.
func (r *Rule) SetPlace(p place.Place) { r.Place = p }

// Instant is a point in time; the zero Instant is "never".
type Instant struct{ time.Time }

// UnmarshalText reads RFC 3339.
func (i *Instant) UnmarshalText(text []byte) error {
	t, err := time.Parse(time.RFC3339, string(text))
	if err != nil {
		return fmt.Errorf("%q is not a time as RFC 3339 has it, such as 2026-12-31T00:00:00Z", text)
	}
	i.Time = t
	return nil
}

package directory

import "gatemap/core/place"

// Source says where a directory's records come from and how its attributes
// become ours. It is data only; package connect acts on it.
type Source struct {
	Place   place.Place  `yaml:"-"`
	LDIF    *place.Text  `yaml:"ldif" doc:"A file of directory entries (RFC 2849), by its path from the map folder."`
	Users   *UserTable   `yaml:"users" doc:"Which entries are users."`
	Groups  *GroupTable  `yaml:"groups" doc:"Which entries are groups."`
	Devices *DeviceTable `yaml:"devices" doc:"Which entries are devices."`
}

// Pick says which entries of a source are meant.
type Pick struct {
	Base   place.Text `yaml:"base" doc:"Distinguished name under which the entries stand. Missing: anywhere."`
	Filter place.Text `yaml:"filter" doc:"Which entries (RFC 4515). Missing: all that have the name attribute."`
	Name   string     `yaml:"name,required" doc:"The attribute that holds the name."`
}

// UserTable turns entries into users.
type UserTable struct {
	Place        place.Place `yaml:"-"`
	Pick         `yaml:",inline"`
	Disabled     place.Text        `yaml:"disabled" doc:"A filter (RFC 4515) that holds for accounts that are switched off."`
	Expires      string            `yaml:"expires" doc:"The attribute that holds the end of the account: generalized time (RFC 4517 section 3.3.13) or RFC 3339."`
	PrimaryGroup string            `yaml:"primary_group" doc:"The attribute that names the primary group."`
	Attributes   map[string]string `yaml:"attributes" doc:"Our attribute: the source's attribute. Missing: every attribute under its own name."`
}

// GroupTable turns entries into groups.
type GroupTable struct {
	Place       place.Place `yaml:"-"`
	Pick        `yaml:",inline"`
	Members     []string             `yaml:"members,required" doc:"The attributes that list members, by distinguished name or by name."`
	Description string               `yaml:"description" doc:"The attribute that says what the group is for."`
	Managers    string               `yaml:"managers" doc:"The attribute that lists the managers, by distinguished name or by name."`
	Kind        map[Kind]place.Text  `yaml:"kind" doc:"Kind: a filter (RFC 4515) that holds for groups of that kind."`
	Draws       map[Draws]place.Text `yaml:"draws" doc:"Reach: a filter (RFC 4515) that holds for groups with it."`
	Opens       map[Opens]place.Text `yaml:"opens" doc:"Reach: a filter (RFC 4515) that holds for groups with it."`
}

// DeviceTable turns entries into devices.
type DeviceTable struct {
	Place     place.Place `yaml:"-"`
	Pick      `yaml:",inline"`
	Managed   place.Text `yaml:"managed" doc:"A filter (RFC 4515) that holds for managed devices."`
	Compliant place.Text `yaml:"compliant" doc:"A filter (RFC 4515) that holds for compliant devices."`
}

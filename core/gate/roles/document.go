// Package roles is the gate type of roles on a tree of resources
// (docs/model.md section 5.1): for platforms, applications, storage and
// database objects.
package roles

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "roles",
	Doc:  "Roles on a tree of resources.",
	New:  func() gate.Document { return &Document{} },

	Declare: declare,
	Holding: holding,
}

// declare adds the resources that another document declares.
func declare(d, other gate.Document) gate.Document {
	with := *d.(*Document)
	known := map[string]bool{}
	for _, r := range with.Resources {
		known[r.Path.Value] = true
	}
	with.Resources = slices.Clone(with.Resources)
	for _, r := range other.(*Document).Resources {
		if !known[r.Path.Value] {
			with.Resources = append(with.Resources, r)
		}
	}
	if len(with.Resources) == len(known) {
		return d // it declares all of them
	}
	return &with
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Rights      []place.Text     `yaml:"rights,required" doc:"The catalogue of rights, each noun:verb."`
	Resources   []Resource       `yaml:"resources" doc:"The tree of resources."`
	Roles       map[string]*Role `yaml:"roles" doc:"Named sets of rights."`
	EveryoneHas []name.Ref       `yaml:"everyone_has" doc:"Roles that everyone has on /."`
	Mappings    []Mapping        `yaml:"mappings" doc:"Who has which role where."`
	Limits      []Limit          `yaml:"limits" doc:"What nobody may do, whatever the role."`
}

// Resource is one node of the tree.
type Resource struct {
	Place  place.Place       `yaml:"-"`
	Path   Path              `yaml:"path,required" doc:"Its path, from /."`
	Tags   map[string]string `yaml:"tags" doc:"Tags, which all below inherit."`
	Sealed bool              `yaml:"sealed" doc:"true: takes no mapping, tag or common role from above."`
}

// Role is a named set of rights: its own patterns and those of the roles that
// it includes, without those that it takes away from all of that.
type Role struct {
	Place    place.Place    `yaml:"-"`
	Rights   []gate.Pattern `yaml:"rights" doc:"Rights, or patterns with *."`
	Includes []name.Ref     `yaml:"includes" doc:"Roles whose rights it has too."`
	Without  []gate.Pattern `yaml:"without" doc:"Rights, or patterns with *, that it does not have after all."`
}

// Mapping gives a role on a resource and all below it, or denies it.
type Mapping struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	Role     name.Ref          `yaml:"role,required" doc:"The role."`
	Object   Path              `yaml:"object,required" doc:"The resource on which, with all below it."`
	Effect   gate.Effect       `yaml:"effect" doc:"deny: takes the role's rights away, whoever gives them."`
	Where    map[string]string `yaml:"where" doc:"Tags that the resource must have."`
	When     *situation.When   `yaml:"when" doc:"In which situations."`
}

// Limit takes rights from everybody.
type Limit struct {
	Place  place.Place       `yaml:"-"`
	Name   string            `yaml:"name,required" doc:"The name of the limit."`
	Rights []gate.Pattern    `yaml:"rights,required" doc:"Rights, or patterns with *."`
	Object Path              `yaml:"object,required" doc:"The resource on which, with all below it; sealing does not stop it."`
	When   *situation.When   `yaml:"when" doc:"In which situations. Missing: always."`
	Except *directory.People `yaml:"except" doc:"For whom it does not hold."`
	Off    bool              `yaml:"off" doc:"true: the limit stays in its place, and is switched off."`
}

// Path is a slash-separated path from the root.
type Path struct{ place.Text }

// UnmarshalText takes the path without a slash at its end.
func (p *Path) UnmarshalText(text []byte) error {
	p.Value = clean(string(text))
	return nil
}

func clean(s string) string {
	if len(s) > 1 {
		s = strings.TrimRight(s, "/")
		if s == "" {
			return "/"
		}
	}
	return s
}

// valid says whether a path starts at the root and has no empty part.
func valid(path string) bool {
	return strings.HasPrefix(path, "/") && !strings.Contains(path, "//")
}

// within says whether path is outer or lies below it.
func within(path, outer string) bool {
	return outer == "/" || path == outer || strings.HasPrefix(path, outer) && path[len(outer)] == '/'
}

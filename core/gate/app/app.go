// Package app is the gate type of actions with a breadth (docs/model.md section
// 5.5): for applications in which a role sees its own records, its team's, or
// all.
package app

import (
	"maps"
	"slices"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "app",
	Doc:  "Actions with a breadth: own, team or all.",
	New:  func() gate.Document { return &Document{} },
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Modules  map[string][]place.Text       `yaml:"modules,required" doc:"Module: its actions."`
	Roles    map[string]map[string]Actions `yaml:"roles" doc:"Role: module: action: breadth."`
	Merge    Merge                         `yaml:"merge" doc:"Which opinion counts where roles differ: widest (unless said) or narrowest."`
	Mappings []Mapping                     `yaml:"mappings" doc:"Who has which role."`
	Teams    []Team                        `yaml:"teams" doc:"Whose records are a team's."`
}

// Actions says how far each action of a module goes.
type Actions map[string]Breadth

// Breadth is how far an action goes.
type Breadth string

// Values lists the breadths from the narrowest.
func (Breadth) Values() []string { return []string{"none", "own", "team", "all"} }

func (b Breadth) width() int { return slices.Index(b.Values(), string(b)) }

// Merge says which of several opinions counts.
type Merge string

// Values lists the ways; the first is the default.
func (Merge) Values() []string { return []string{"widest", "narrowest"} }

// Mapping gives a role.
type Mapping struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	Role     name.Ref        `yaml:"role,required" doc:"The role."`
	When     *situation.When `yaml:"when" doc:"In which situations."`
}

// Team is a named set of people who see each other's records.
type Team struct {
	Place    place.Place `yaml:"-"`
	Team     string      `yaml:"team,required" doc:"The name of the team."`
	gate.Who `yaml:",inline"`
}

// desk is the compiled gate.
type desk struct {
	system   string
	points   []point // by module and action
	narrow   bool
	mappings []mapping
	roster   *gate.Roster
	giving   gate.Held // every mapping
	roles    map[string]map[string]Actions
}

type mapping struct {
	line  gate.Line
	crowd *gate.Crowd
	when  situation.Condition
}

// opinion is what one mapping's role says of an action.
type opinion struct {
	mapping int
	width   int
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	t := &desk{system: s.System.Name, narrow: d.Merge == "narrowest", roster: &s.Roster, roles: d.Roles}
	for _, module := range slices.Sorted(maps.Keys(d.Modules)) {
		actions := make([]string, len(d.Modules[module]))
		for i, a := range d.Modules[module] {
			actions[i] = a.Value
		}
		slices.Sort(actions)
		for _, a := range slices.Compact(actions) {
			t.points = append(t.points, point{desk: t, module: module, action: a})
		}
	}
	for _, role := range slices.Sorted(maps.Keys(d.Roles)) {
		d.checkRole(s, t, role)
	}
	for i := range d.Mappings {
		d.mapping(s, t, i)
	}
	for i := range d.Teams {
		s.Who(&d.Teams[i].Who, s.Line("team "+d.Teams[i].Team, d.Teams[i].Place), gate.Giving)
	}
	return t
}

// checkRole reports modules and actions that a role names and nobody declares.
func (d *Document) checkRole(s *gate.Site, t *desk, role string) {
	line := s.Line("role "+role, s.System.Place)
	for _, module := range slices.Sorted(maps.Keys(d.Roles[role])) {
		if _, ok := d.Modules[module]; !ok {
			s.Missing("module", name.Ref{Name: module, Place: line.Place}, name.Near(module, maps.Keys(d.Modules)), line)
			continue
		}
		for _, action := range slices.Sorted(maps.Keys(d.Roles[role][module])) {
			if _, ok := t.find(module, action); !ok {
				s.UnknownRight(line, line.Place, action, t.actions(module))
			}
		}
	}
}

func (d *Document) mapping(s *gate.Site, t *desk, i int) {
	doc := &d.Mappings[i]
	m := mapping{line: s.Numbered("mapping", i, doc.Place)}
	m.crowd = s.Who(&doc.Who, m.line, gate.Giving)
	when, usable := s.When(doc.When, m.line, gate.Giving)
	m.when = when
	if !usable {
		m.crowd.Break()
	}
	role, ok := d.Roles[doc.Role.Name]
	if !ok {
		s.Missing("role", doc.Role, name.Near(doc.Role.Name, maps.Keys(d.Roles)), m.line)
		m.crowd.Break()
	}
	t.mappings = append(t.mappings, m)
	t.giving.Add(m.crowd)
	for j := range t.points {
		p := &t.points[j]
		if breadth, ok := role[p.module][p.action]; ok {
			p.opinions = append(p.opinions, opinion{i, breadth.width()})
			if breadth.width() > 0 {
				p.giving.Add(m.crowd)
			}
		}
	}
}

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
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "app",
	Doc:  "Actions with a breadth: own, team or all.",
	New:  func() gate.Document { return &Document{} },

	Holding: holding,
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

// compiled is the compiled gate.
type compiled struct {
	*rule.Listing
	gate.NotInFront
	actions  []action // by module and name
	narrow   bool
	mappings []*rule.Rule
	roles    map[string]map[string]Actions
}

// action is one action of one module, with how far each mapping's role goes: -1 where it does
// not say.
type action struct {
	module, name string
	widths       []int
	decision     *rule.Decision
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	t := &compiled{narrow: d.Merge == "narrowest", roles: d.Roles, Listing: rule.NewListing(s.System.Name, &s.Index)}
	for _, module := range slices.Sorted(maps.Keys(d.Modules)) {
		actions := make([]string, len(d.Modules[module]))
		for i, a := range d.Modules[module] {
			actions[i] = a.Value
		}
		slices.Sort(actions)
		for _, a := range slices.Compact(actions) {
			t.actions = append(t.actions, action{module: module, name: a})
		}
	}
	for _, role := range slices.Sorted(maps.Keys(d.Roles)) {
		d.checkRole(s, t, role)
	}
	for i := range d.Mappings {
		d.mapping(s, t, i)
	}
	for i := range d.Teams {
		s.Rule(s.Line("team "+d.Teams[i].Team, d.Teams[i].Place), &d.Teams[i].Who, nil, rule.Giving)
	}
	for i := range t.actions {
		a := &t.actions[i]
		t.decide(s, a)
		t.Add(a.module, a.name, a.decision, a.decision.Nearest.Gives, false)
	}
	return t
}

// checkRole reports modules and actions that a role names and nobody declares.
func (d *Document) checkRole(s *gate.Site, t *compiled, role string) {
	line := s.Line("role "+role, s.System.Place)
	for _, module := range slices.Sorted(maps.Keys(d.Roles[role])) {
		if _, ok := d.Modules[module]; !ok {
			s.Missing("module", name.Ref{Name: module, Place: line.Place}, name.Near(module, maps.Keys(d.Modules)), line)
			continue
		}
		for _, action := range slices.Sorted(maps.Keys(d.Roles[role][module])) {
			if !slices.Contains(slices.Collect(t.names(module)), action) {
				s.UnknownRight(line, line.Place, action, t.names(module))
			}
		}
	}
}

func (d *Document) mapping(s *gate.Site, t *compiled, i int) {
	doc := &d.Mappings[i]
	r := s.Rule(s.Numbered("mapping", i, doc.Place), &doc.Who, doc.When, rule.Giving)
	r.Reason = rule.ByDeny
	role, ok := d.Roles[doc.Role.Name]
	if !ok {
		s.Missing("role", doc.Role, name.Near(doc.Role.Name, maps.Keys(d.Roles)), r.Line)
		r.Break()
	}
	t.mappings = append(t.mappings, r)
	for j := range t.actions {
		a, width := &t.actions[j], -1
		if breadth, ok := role[a.module][a.name]; ok {
			width = breadth.width()
		}
		a.widths = append(a.widths, width)
	}
}

// decide makes what decides on an action: an opinion that is not none gives it, and, where
// the narrowest counts, none denies it.
func (t *compiled) decide(s *gate.Site, a *action) {
	level := &rule.Level{}
	for i, width := range a.widths {
		switch {
		case width > 0:
			level.Gives.Add(t.mappings[i])
		case width == 0 && t.narrow:
			level.Takes.Add(t.mappings[i])
		}
	}
	a.decision = &rule.Decision{Index: &s.Index, Nearest: level}
	a.decision.Finish = func(q *rule.Question, state rule.State, _ *rule.Rule) (x rule.Extra) {
		if state >= rule.Depends {
			x.Breadth = breadths[t.breadth(q, a)]
		}
		return x
	}
}

// breadth is the widest that is surely there, or, where none is, that may be; or the
// narrowest that may be.
func (t *compiled) breadth(q *rule.Question, a *action) int {
	sure, perhaps, narrowest := 0, 0, len(breadths)-1
	first := t.mappings[0].Number() // the others follow
	for n := range q.Held(a.decision.Index).Among(a.decision.Nearest.Gives) {
		i := n - first
		width, truth := a.widths[i], t.mappings[i].When.Holds(q.Facts)
		if truth == situation.True {
			sure = max(sure, width)
		}
		if truth != situation.False {
			perhaps, narrowest = max(perhaps, width), min(narrowest, width)
		}
	}
	switch {
	case t.narrow:
		return narrowest
	case sure > 0:
		return sure
	}
	return perhaps
}

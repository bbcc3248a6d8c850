// Package hosts is the gate type of logging in to hosts and running commands
// there as someone else (docs/model.md section 5.7).
package hosts

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
	Name: "hosts",
	Doc:  "Logging in, and running commands as someone else.",
	New:  func() gate.Document { return &Document{} },
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Hosts   map[string][]place.Text `yaml:"hosts,required" doc:"Named sets of hosts."`
	Login   []Login                 `yaml:"login" doc:"Who may log in where."`
	Elevate []Elevate               `yaml:"elevate" doc:"Who may run what as whom."`
}

// Effect says what a login line does.
type Effect string

// Values lists the effects; allow is the default.
func (Effect) Values() []string { return []string{"allow", "deny"} }

// Login lets in, or keeps out.
type Login struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	Hosts    []name.Ref      `yaml:"hosts,required" doc:"Sets of hosts, or hosts."`
	When     *situation.When `yaml:"when" doc:"In which situations."`
	Effect   Effect          `yaml:"effect" doc:"deny: keeps out, whoever lets in."`
}

// Elevate lets commands be run as another account.
type Elevate struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	Hosts    []name.Ref      `yaml:"hosts,required" doc:"Sets of hosts, or hosts."`
	Commands []gate.Pattern  `yaml:"commands,required" doc:"Command lines, or patterns with *."`
	Except   []gate.Pattern  `yaml:"except_commands" doc:"Command lines, or patterns with *, that are not meant."`
	As       string          `yaml:"as,required" doc:"The account as which they run."`
	When     *situation.When `yaml:"when" doc:"In which situations."`
	Password bool            `yaml:"password" doc:"true: the user's own password is asked for."`
}

// yard is the compiled gate.
type yard struct {
	system string
	hosts  []string // by name
	logins []line
	lifts  []line
	listed []*point
	roster *gate.Roster
	giving gate.Held // the lines that do not deny
}

// line is a login or an elevate line.
type line struct {
	gate.Line
	crowd    *gate.Crowd
	hosts    []string
	when     situation.Condition
	deny     bool
	commands []gate.Pattern
	except   []gate.Pattern
	as       string
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	y := &yard{system: s.System.Name, roster: &s.Roster}
	for _, set := range d.Hosts {
		for _, h := range set {
			y.hosts = append(y.hosts, h.Value)
		}
	}
	slices.Sort(y.hosts)
	y.hosts = slices.Compact(y.hosts)
	for i := range d.Login {
		l := &d.Login[i]
		effect := gate.Giving
		if l.Effect == "deny" {
			effect = gate.Taking
		}
		y.logins = append(y.logins, d.line(s, y, s.Numbered("login", i, l.Place), &l.Who, l.Hosts, l.When, effect))
	}
	for i := range d.Elevate {
		e := &d.Elevate[i]
		l := d.line(s, y, s.Numbered("elevate", i, e.Place), &e.Who, e.Hosts, e.When, gate.Giving)
		l.commands, l.except, l.as = e.Commands, e.Except, e.As
		y.lifts = append(y.lifts, l)
	}
	y.list()
	return y
}

func (d *Document) line(s *gate.Site, y *yard, at gate.Line, who *gate.Who, sets []name.Ref, when *situation.When, effect gate.Effect) line {
	l := line{Line: at, crowd: s.Who(who, at, effect), deny: effect == gate.Taking}
	if !l.deny {
		y.giving.Add(l.crowd)
	}
	condition, usable := s.When(when, at, effect)
	l.when = condition
	for _, ref := range sets {
		if set, ok := d.Hosts[ref.Name]; ok {
			for _, h := range set {
				l.hosts = append(l.hosts, h.Value)
			}
			continue
		}
		if slices.Contains(y.hosts, ref.Name) {
			l.hosts = append(l.hosts, ref.Name)
			continue
		}
		names := slices.Sorted(maps.Keys(d.Hosts))
		s.Missing("host or set of hosts", ref, name.Near(ref.Name, slices.Values(append(names, y.hosts...))), at)
		usable = usable && effect == gate.Taking
	}
	if !usable {
		l.crowd.Break()
	}
	return l
}

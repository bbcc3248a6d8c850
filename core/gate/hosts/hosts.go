// Package hosts is the gate type of logging in to hosts and running commands
// there as someone else (docs/model.md section 5.7).
package hosts

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
	Name: "hosts",
	Doc:  "Logging in, and running commands as someone else.",
	New:  func() gate.Document { return &Document{} },

	Listing: listing,
	Holding: holding,
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Hosts   map[string][]place.Text `yaml:"hosts,required" doc:"Named sets of hosts."`
	Login   []Login                 `yaml:"login" doc:"Who may log in where."`
	Elevate []Elevate               `yaml:"elevate" doc:"Who may run what as whom."`
	// asked are rights that are listed for all who have them, by whatever patterns.
	asked []string
}

// Login lets in, or keeps out.
type Login struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	Hosts    []name.Ref      `yaml:"hosts,required" doc:"Sets of hosts, or hosts."`
	When     *situation.When `yaml:"when" doc:"In which situations."`
	Effect   gate.Effect     `yaml:"effect" doc:"deny: keeps out, whoever lets in."`
}

// Elevate lets commands be run as another account.
type Elevate struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	Hosts    []name.Ref      `yaml:"hosts,required" doc:"Sets of hosts, or hosts."`
	Commands []gate.Pattern  `yaml:"commands,required" doc:"Command lines, or patterns with *."`
	Except   []gate.Pattern  `yaml:"except_commands" doc:"Command lines, or patterns with *, that are not meant."`
	As       string          `yaml:"as,required" doc:"The account as which they run; * for any."`
	When     *situation.When `yaml:"when" doc:"In which situations."`
	Password bool            `yaml:"password" doc:"true: the user's own password is asked for."`
}

// compiled is the compiled gate.
type compiled struct {
	*rule.Listing
	hosts  []string // by name
	logins []line
	lifts  []line
	asked  []string
	doors  map[string]*rule.Decision // by host: logging in
}

// line is a login or an elevate line.
type line struct {
	*rule.Rule
	hosts    []string
	commands []gate.Pattern
	except   []gate.Pattern
	as       string
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	y := &compiled{asked: d.asked, doors: map[string]*rule.Decision{}, Listing: rule.NewListing(s.System.Name, &s.Index)}
	for _, set := range d.Hosts {
		for _, h := range set {
			y.hosts = append(y.hosts, h.Value)
		}
	}
	slices.Sort(y.hosts)
	y.hosts = slices.Compact(y.hosts)
	for i := range d.Login {
		l := &d.Login[i]
		r := s.Rule(s.Numbered("login", i, l.Place), &l.Who, l.When, l.Effect.Of())
		y.logins = append(y.logins, line{Rule: r, hosts: d.hosts(s, y, r, l.Hosts)})
	}
	for i := range d.Elevate {
		e := &d.Elevate[i]
		r := s.Rule(s.Numbered("elevate", i, e.Place), &e.Who, e.When, rule.Giving)
		y.lifts = append(
			y.lifts,
			line{Rule: r, hosts: d.hosts(s, y, r, e.Hosts), commands: e.Commands, except: e.Except, as: e.As},
		)
	}
	y.list()
	return y
}

// hosts are those of a line. One that gives, and names a set that there is not, gives nothing.
func (d *Document) hosts(s *gate.Site, y *compiled, r *rule.Rule, sets []name.Ref) (hosts []string) {
	r.Reason = rule.ByDeny
	for _, ref := range sets {
		if set, ok := d.Hosts[ref.Name]; ok {
			for _, h := range set {
				hosts = append(hosts, h.Value)
			}
			continue
		}
		if slices.Contains(y.hosts, ref.Name) {
			hosts = append(hosts, ref.Name)
			continue
		}
		names := slices.Sorted(maps.Keys(d.Hosts))
		s.Missing("host or set of hosts", ref, name.Near(ref.Name, slices.Values(append(names, y.hosts...))), r.Line)
		if r.Effect == rule.Giving {
			r.Break()
		}
	}
	return hosts
}

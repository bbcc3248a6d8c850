package atlas

import (
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Guarantee is a statement about the map that must stay true (docs/model.md
// section 7).
type Guarantee struct {
	Place     place.Place `yaml:"-"`
	Name      string      `yaml:"guarantee,required" doc:"The name of the guarantee."`
	Every     *gate.Who   `yaml:"every" doc:"All of these can do it; inactive and ended accounts are left out."`
	Nobody    *gate.Who   `yaml:"nobody" doc:"None of these can do it."`
	AtMost    *int        `yaml:"at_most" doc:"No more people than this can do it."`
	Can       *What       `yaml:"can" doc:"What it is about."`
	HoldsBoth []What      `yaml:"holds_both" doc:"Two things that nobody may hold together."`
	In        *Given      `yaml:"in" doc:"In which situation. Missing: in any."`
}

// What is an entitlement, or several.
type What struct {
	Place  place.Place  `yaml:"-"`
	System name.Ref     `yaml:"system,required" doc:"The system."`
	Right  gate.Pattern `yaml:"right,required" doc:"The right, or a pattern with *."`
	Object string       `yaml:"object" doc:"The object. Missing: any."`
}

// Given is a situation as it is written in a map.
type Given struct {
	Place      place.Place `yaml:"-"`
	From       string      `yaml:"from" doc:"Source address."`
	At         string      `yaml:"at" doc:"Point in time (RFC 3339)."`
	Device     []string    `yaml:"device" doc:"Properties of the device: managed, compliant; or none."`
	DeviceName string      `yaml:"device_name" doc:"A device of a directory."`
	Strength   string      `yaml:"strength" doc:"Strength of the sign-in."`
	Access     string      `yaml:"access" doc:"Way into the network."`
	Client     string      `yaml:"client" doc:"Client program."`
	Risk       string      `yaml:"risk" doc:"Rating of the risk."`
	Via        string      `yaml:"via" doc:"Way to a file."`
}

func (g *Given) situation() (situation.Situation, error) {
	fields := map[string]string{
		"from": g.From, "at": g.At, "device": strings.Join(g.Device, ","), "device_name": g.DeviceName,
		"strength": g.Strength, "access": g.Access, "client": g.Client, "risk": g.Risk, "via": g.Via,
	}
	return situation.Parse(func(field string) string { return fields[field] })
}

// Promise is a compiled guarantee.
type Promise struct {
	Document *Guarantee
	Site     *gate.Site
	Crowd    *gate.Crowd // whom it is about; for at_most everyone
	Facts    *situation.Facts
	Sure     bool // it has a situation
	Things   []Thing
}

// Thing is a compiled What.
type Thing struct {
	System *System // nil: the name leads to nothing
	Right  gate.Pattern
	Object string
	Point  gate.Point // where it is one point; else all that match are meant
}

func (a *Atlas) promise(d *Guarantee, errs *place.Errors) *Promise {
	site := &gate.Site{System: &gate.System{Name: "guarantee"}, Book: a.Book, Frame: a.Frame, Errors: errs, Claims: a.claimant}
	for _, s := range a.Systems {
		site.Systems = append(site.Systems, s.Document)
	}
	line := site.Line(d.Name, d.Place)
	p := &Promise{Document: d, Site: site, Facts: a.Frame.Facts(situation.Situation{}, nil)}
	subjects := 0
	for _, is := range []bool{d.Every != nil, d.Nobody != nil, d.AtMost != nil} {
		if is {
			subjects++
		}
	}
	things := d.HoldsBoth
	if d.Can != nil {
		things = []What{*d.Can}
	}
	switch {
	case subjects != 1:
		errs.Addf(d.Place, "guarantee %s is about one of every, nobody and at_most", d.Name)
		return p
	case (d.Can == nil) == (d.HoldsBoth == nil), d.HoldsBoth != nil && (len(d.HoldsBoth) != 2 || d.Nobody == nil):
		errs.Addf(d.Place, "guarantee %s needs can; or, with nobody, holds_both with two things", d.Name)
		return p
	}
	switch {
	case d.Every != nil:
		p.Crowd = site.People(d.Every, line)
	case d.Nobody != nil:
		p.Crowd = site.People(d.Nobody, line)
	default:
		p.Crowd = site.EveryoneBut(nil, line)
	}
	site.Finish()
	for i := range things {
		p.Things = append(p.Things, a.thing(site, &things[i], line))
	}
	if d.In != nil {
		given, err := d.In.situation()
		if err == nil {
			p.Facts, err = a.Facts(given)
		}
		if err != nil {
			errs.Addf(d.In.Place, "guarantee %s: %v", d.Name, err)
		}
		p.Sure = true
	}
	return p
}

func (a *Atlas) thing(site *gate.Site, d *What, line gate.Line) Thing {
	t := Thing{Right: d.Right, Object: d.Object}
	s, err := a.System(d.System.Name)
	if err != nil {
		site.Missing("system", d.System, name.Near(d.System.Name, a.SystemNames), line)
		return t
	}
	t.System = s
	if strings.Contains(d.Right.Value, "*") || d.Object == "" {
		return t
	}
	if t.Point, err = s.Gate.At(d.Object, d.Right.Value); err != nil {
		ref := name.Ref{Name: d.Right.Value + " on " + d.Object, Place: d.Place}
		site.Missing("right of "+s.Name(), ref, nil, line)
	}
	return t
}

// Held are the entitlements of a thing that a user holds, in whatever state but
// none.
func (a *Atlas) Held(q *gate.Question, t *Thing) []gate.Entitlement {
	if t.System == nil {
		return nil
	}
	if t.Point != nil {
		if e := a.Decide(q, t.System, t.Point); e.State != gate.None {
			return []gate.Entitlement{e}
		}
		return nil
	}
	var held []gate.Entitlement
	a.reachIn(q, t.System, func(e gate.Entitlement) {
		if t.Right.Matches(e.Right) && (t.Object == "" || t.Object == e.Object) {
			held = append(held, e)
		}
	})
	return held
}

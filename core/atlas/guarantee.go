package atlas

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/rule"
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
	Really    bool        `yaml:"really" doc:"true: it is asked of the newest readings of linked systems, and broken where one is missing or stale."`
	Off       bool        `yaml:"off" doc:"true: the guarantee stays in its place, and nothing is asked."`
	Per       Per         `yaml:"per" doc:"person (unless said): accounts of one person count as one, who holds what any of them holds; account: each counts."`
}

// Per says what counts as one.
type Per string

// Values lists the ways; person is the default.
func (Per) Values() []string { return []string{"person", "account"} }

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
	Who      *rule.Rule // whom it is about; for at_most everyone
	Facts    *situation.Facts
	Given    situation.Situation
	Sure     bool // it has a situation
	Things   []Thing
}

// Thing is a compiled What: the points at which it is asked, and, where Listed, everything
// listed that is like the pattern.
type Thing struct {
	System *System // nil: the name leads to nothing
	Right  gate.Pattern
	Object string
	Points []rule.Permission
	Listed bool
}

// Lost are the names in a promise that lead to nothing.
func (p *Promise) Lost() (names []string) {
	for _, f := range p.Site.Findings {
		if f.Severity == finding.Error {
			names = append(names, f.Names...)
		}
	}
	return names
}

func (a *Atlas) promise(d *Guarantee, errs *place.Errors) *Promise {
	site := &gate.Site{System: &gate.System{Name: "guarantee"}, Book: a.Book, Frame: a.Frame, Errors: errs, Gate: a.gateOf}
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
		p.Who = site.People(d.Every, line)
	case d.Nobody != nil:
		p.Who = site.People(d.Nobody, line)
	default:
		p.Who = site.EveryoneBut(line, &gate.Who{}, nil, rule.Taking)
	}
	site.Finish()
	for i := range things {
		t := a.thing(site, &things[i], line)
		p.Things = append(p.Things, t)
		if d.Really && t.System != nil && t.System.Document.Link == nil {
			errs.Addf(
				things[i].Place,
				"guarantee %s asks what is really there, and %s has no link by which it is read",
				d.Name,
				t.System.Name(),
			)
		}
	}
	if d.In != nil {
		var err error
		if p.Given, err = d.In.situation(); err == nil {
			p.Facts, err = a.Facts(p.Given)
		}
		if err != nil {
			errs.Addf(d.In.Place, "guarantee %s: %v", d.Name, err)
		}
		p.Sure = true
	}
	return p
}

// Thing compiles a What of a guarantee. What it names and is not there holds nobody.
func (a *Atlas) Thing(d *What) Thing {
	return a.thing(
		&gate.Site{System: &gate.System{}, Book: a.Book, Frame: a.Frame, Errors: &place.Errors{}, Gate: a.gateOf},
		d,
		rule.Line{},
	)
}

func (a *Atlas) thing(site *gate.Site, d *What, line rule.Line) Thing {
	t := Thing{Right: d.Right, Object: d.Object}
	s, err := a.System(d.System.Name)
	if err != nil {
		site.Missing("system", d.System, name.Near(d.System.Name, a.SystemNames), line)
		return t
	}
	t.System = s
	catalogue := s.Gate.Catalogue()
	exact := !strings.Contains(d.Right.Value, "*")
	rights, objects := []string{d.Right.Value}, []string{d.Object}
	if !exact {
		rights = slices.DeleteFunc(slices.Clone(catalogue.Rights), func(r string) bool { return !d.Right.Matches(r) })
	}
	if len(rights) == 0 && !catalogue.Open {
		note(site, line, finding.New(finding.UnknownRight, d.Place,
			fmt.Sprintf("Guarantee %s asks for %q, and no right of %s is like that.", line.Rule(), d.Right.Value, s.Name()),
			"Correct the pattern.", d.Right.Value))
		return t
	}
	if d.Object == "" {
		objects = catalogue.Objects
	}
	// What is listed says as much as asking for each, where there is much to ask.
	t.Listed = !exact && (catalogue.Open || d.Object == "") ||
		d.Object == "" && len(objects) > manyObjects && slices.Contains(catalogue.Rights, d.Right.Value)
	if t.Listed && (d.Object == "" || len(rights) == 0) {
		return t
	}
	var failed error
	for _, object := range objects {
		for _, right := range rights {
			p, err := s.Gate.At(object, right)
			if err != nil {
				failed = err
				continue
			}
			t.Points = append(t.Points, p)
		}
	}
	if d.Object != "" {
		a.undeclared(site, d, &t, line)
	}
	var missing *directory.NotFoundError
	if len(t.Points) == 0 && errors.As(failed, &missing) {
		site.Missing(missing.Kind+" of "+s.Name(), name.Ref{Name: missing.Name, Place: d.Place}, missing.Near, line)
	}
	return t
}

// undeclared warns of an object that is not declared, for which another decides.
func (a *Atlas) undeclared(site *gate.Site, d *What, t *Thing, line rule.Line) {
	if len(t.Points) == 0 {
		return
	}
	above := a.DecidedAt(t.Points[0])
	if above == "" {
		return
	}
	note(site, line, finding.New(
		finding.UndeclaredObject,
		d.Place,
		fmt.Sprintf(
			"Guarantee %s asks for %s in %s, which is not declared: %s above it decides.",
			line.Rule(),
			d.Object,
			t.System.Name(),
			above,
		),
		"Declare it, or ask for what is declared.",
		d.Object,
	))
}

// note notes what is found in what a guarantee asks for, which is of another system.
func note(site *gate.Site, line rule.Line, f finding.Finding) {
	f.Where.Rule = line.Rule()
	site.Findings = append(site.Findings, f)
}

// DecidedAt is the declared object that decides where the one that is asked about is not
// declared; "" where it is, and where nobody can ask.
func (a *Atlas) DecidedAt(p rule.Permission) string {
	if a.Book.UserCount() == 0 {
		return ""
	}
	return p.Decide(a.Question(0, a.Frame.Facts(situation.Situation{}, nil))).DecidedAt
}

// manyObjects is how many objects are asked one by one.
const manyObjects = 64

// Held are the entitlements of a thing that a user holds, in whatever state but
// none.
func (a *Atlas) Held(q *rule.Question, t *Thing) []rule.Entitlement {
	if t.System == nil {
		return nil
	}
	var held []rule.Entitlement
	for _, p := range t.Points {
		if e := a.Decide(q, t.System, p); e.State != rule.None {
			held = append(held, e)
		}
	}
	if !t.Listed {
		return held
	}
	asked := held // what is listed comes once
	a.reachIn(q, t.System, func(e rule.Entitlement) {
		if t.Right.Matches(e.Right) && (t.Object == "" || t.Object == e.Object) {
			if !slices.ContainsFunc(asked, func(x rule.Entitlement) bool { return x.Object == e.Object && x.Right == e.Right }) {
				held = append(held, e)
			}
		}
	})
	return held
}

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
)

// front is one compiled thing in front of a system: a condition, a choice, or
// the point of another gate.
type front struct {
	line      rule.Line
	condition *rule.Rule
	any       []front
	system    *System
	point     rule.Permission
	broken    bool // it names something that does not exist, so nothing gets through
}

func (a *Atlas) front(s *System, d *gate.Prerequisite, label string, errs *place.Errors) front {
	f := front{line: s.Site.Line(label, d.Place)}
	given := 0
	for _, is := range []bool{d.When != nil, d.Any != nil, len(d.Gate) > 0} {
		if is {
			given++
		}
	}
	if given != 1 {
		errs.Addf(d.Place, "each item of behind is one thing: a gate, when, or any")
		return f
	}
	switch {
	case d.When != nil:
		condition, usable := s.Site.When(d.When, f.line, rule.Giving)
		f.condition, f.broken = &rule.Rule{Line: f.line, When: condition}, !usable
	case d.Any != nil:
		for j := range d.Any {
			f.any = append(f.any, a.front(s, &d.Any[j], fmt.Sprintf("%s.%d", label, j+1), errs))
		}
	default:
		a.passage(s, d, &f, errs)
	}
	return f
}

// named finds the key of a passage that is a gate type in use, with the system
// that it names. What else there is are keys that the type asks for.
func (a *Atlas) named(d *gate.Prerequisite) (typ string, ref name.Ref) {
	for key, value := range d.Gate {
		for _, s := range a.Systems {
			if s.Document.Type.Name == key {
				return key, name.Ref{Name: value, Place: d.Place}
			}
		}
	}
	return "", name.Ref{}
}

func (a *Atlas) passage(s *System, d *gate.Prerequisite, f *front, errs *place.Errors) {
	typ, ref := a.named(d)
	if typ == "" {
		errs.Addf(d.Place, "an item of behind is written TYPE: SYSTEM, with the gate type of a system of this map")
		return
	}
	system, part, _ := strings.Cut(ref.Name, "/")
	target, err := a.System(system)
	if err == nil && target.Document.Type.Name != typ {
		err = &directory.NotFoundError{Kind: typ + " system", Name: system}
	}
	if err != nil {
		f.broken = true
		a.reportFront(s, ref, err, f.line)
		return
	}
	keys := gate.Passage{}
	for key, value := range d.Gate {
		if key != typ {
			keys[key] = value
		}
	}
	f.system = target
	if f.point, err = target.Gate.InFront(s.Name(), part, keys); err != nil {
		f.broken = true
		var missing *directory.NotFoundError
		if errors.Is(err, gate.ErrNotInFront) {
			errs.Addf(d.Place, "a system of type %s cannot be in front of another", typ)
			return
		}
		if !errors.As(err, &missing) {
			errs.Addf(d.Place, "behind %s: %v", target.Name(), err)
			return
		}
		a.reportFront(s, ref, err, f.line)
	}
}

func (a *Atlas) reportFront(s *System, ref name.Ref, err error, line rule.Line) {
	f := directory.ReportMissing(ref, err, "Line "+line.Name)
	f.Code = finding.UnknownName
	f.Where.System, f.Where.Rule = s.Name(), line.Rule()
	s.Site.Findings = append(s.Site.Findings, f)
}

// verdict is what the front lets through. What it does not is shut by the gate,
// with its own reason as the detail.
func (f *front) verdict(q *rule.Question) rule.Verdict {
	switch {
	case f.broken:
		return q.ShutFor(rule.ByGate, f.line.Name, "it names something that does not exist")
	case f.any != nil:
		var some rule.Either
		for i := range f.any {
			some.Add(q, f.any[i].verdict(q))
		}
		return some.Verdict()
	case f.point != nil:
		return f.through(q)
	}
	v := f.condition.Gives(q)
	for i := range v.ShutBy {
		v.ShutBy[i].Reason = rule.ByGate
	}
	return v
}

// through asks the gate in front, with all that stands in front of that.
func (f *front) through(q *rule.Question) rule.Verdict {
	if q.Brief {
		state := max(rule.Shut, f.point.State(q))
		return rule.Verdict{State: min(state, f.system.around(q).State)}
	}
	e := f.point.Decide(q)
	if e.State == rule.None {
		return rule.ShutFor(
			rule.ByGate,
			f.system.Name()+"/"+e.Right+" on "+e.Object,
			"none: no line of it lets the user through",
		)
	}
	v := f.system.around(q).And(e.Verdict())
	stops := make([]rule.Stop, 0, len(v.ShutBy))
	for _, s := range v.ShutBy {
		stops = append(stops, s.Behind())
	}
	if v.State == rule.Shut {
		v.ShutBy = stops
	}
	return v
}

// lookForCircles reports systems that need each other's answers in a circle:
// by standing behind each other, or by claims.
func (a *Atlas) lookForCircles(errs *place.Errors) {
	const (
		unseen = iota
		open
		done
	)
	marks := map[*System]int{}
	var visit func(s *System, trail []string)
	visit = func(s *System, trail []string) {
		marks[s] = open
		trail = append(trail, s.Name())
		for _, ref := range a.leans(s) {
			other, err := a.System(ref.Name)
			if err != nil {
				continue
			}
			switch marks[other] {
			case unseen:
				visit(other, trail)
			case open:
				at := 0
				for i, n := range trail {
					if name.Equal(n, other.Name()) {
						at = i
					}
				}
				errs.Addf(
					ref.Place,
					"systems need each other in a circle: %s",
					strings.Join(append(trail[at:len(trail):len(trail)], other.Name()), " → "),
				)
			}
		}
		marks[s] = done
	}
	for _, s := range a.Systems {
		if marks[s] == unseen {
			visit(s, nil)
		}
	}
}

// leans lists the systems that a system needs answers from.
func (a *Atlas) leans(s *System) []name.Ref {
	return append(slices.Clone(s.Site.Leans), a.behind(s.Document)...)
}

// Behind lists the systems that stand in front of one.
func (a *Atlas) Behind(s *System) []*System {
	var list []*System
	for _, ref := range a.behind(s.Document) {
		if before, err := a.System(ref.Name); err == nil && !slices.Contains(list, before) {
			list = append(list, before)
		}
	}
	return list
}

// behind lists the systems that a document puts in front.
func (a *Atlas) behind(d *gate.System) []name.Ref {
	var refs []name.Ref
	var collect func(list []gate.Prerequisite)
	collect = func(list []gate.Prerequisite) {
		for i := range list {
			collect(list[i].Any)
			if typ, ref := a.named(&list[i]); typ != "" {
				system, _, _ := strings.Cut(ref.Name, "/")
				refs = append(refs, name.Ref{Name: system, Place: ref.Place})
			}
		}
	}
	collect(d.Behind)
	return refs
}

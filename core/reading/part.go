package reading

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// Part is a part of a reading that can be taken into the map.
type Part struct {
	Goes []string // lines of the map that are not there as they are written, as SYSTEM/NAME
	// Comes are the lines of what was read that give those whom the part is about what the map does
	// not give them without the lines that go, as SYSTEM/NAME.
	Comes    []string
	Document *gate.System        // what was read, with lines only for those: others are off
	Own      *directory.Document // those of them that the map does not have; nil: it has them all

	whom map[string]bool // those whom the part is about
}

// Otherwise is what those whom the part is about are given otherwise there than by the map after it;
// nil where there is nothing. came tells the lines that came with the part; there says that it is
// given there.
func (p *Part) Otherwise(after *Drift, came func(line string) bool) (g *Grant, there bool) {
	l := after.newLedger()
	for i, at := range l.points {
		for _, g := range l.there[i] {
			if p.whom[l.whom[g.whom]] && !slices.ContainsFunc(l.here[i], g.is) {
				return &Grant{l.whom[g.whom], at.Object, at.Right, g.takes}, true
			}
		}
		for _, g := range l.here[i] {
			if came(l.lines[g.line].Name) && !slices.ContainsFunc(l.there[i], g.is) {
				return &Grant{l.whom[g.whom], at.Object, at.Right, g.takes}, false
			}
		}
	}
	return nil, false
}

// NoLineError says that the drift does not tell of a line.
type NoLineError struct {
	System, Named string
	Lines         []string // those that it tells of
}

func (e *NoLineError) Error() string {
	if len(e.Lines) == 0 {
		return fmt.Sprintf("what was read of %s gives what the lines of the map give: there is nothing to take in", e.System)
	}
	const most = 10
	text := strings.Join(e.Lines[:min(len(e.Lines), most)], ", ")
	if more := len(e.Lines) - most; more > 0 {
		text += fmt.Sprintf(" and %d more", more)
	}
	return fmt.Sprintf("the drift of %s has no line %q; it has %s", e.System, e.Named, text)
}

// Part is what some lines of the drift are about: of a line of the map, all whom it names; of what is
// given there besides, whom it is given to. named are names as in Lines, a line of the map also
// without its system; document is the system as the map has it. The error is a *NoLineError.
func (d *Drift) Part(document *gate.System, named []string) (*Part, error) {
	l := d.newLedger()
	goes, about := map[string]bool{}, make([]bool, len(l.whom))
	for _, n := range named {
		line, err := d.line(n)
		if err != nil {
			return nil, err
		}
		if !line.Real {
			goes[line.Name] = true
			continue
		}
		for w := range l.whom {
			about[w] = about[w] || l.whom[w] == line.Name
		}
	}
	dropped := func(g grant) bool { return goes[l.lines[g.line].Name] }
	for _, grants := range l.here {
		for _, g := range grants {
			about[g.whom] = about[g.whom] || dropped(g)
		}
	}
	comes := d.comes(l, about, dropped)
	p := &Part{whom: map[string]bool{}}
	for _, r := range d.here.Lines() {
		if goes[r] {
			p.Goes = append(p.Goes, r)
		}
	}
	for _, r := range d.there.Lines() {
		if comes[r] {
			p.Comes = append(p.Comes, r)
		}
	}
	whom := map[string]bool{}
	for w := range l.whom {
		if about[w] {
			p.whom[l.whom[w]] = true
			first, _, _ := strings.Cut(l.whom[w], butNot)
			whom[first] = true
		}
	}
	only := d.Of.only(whom)
	p.Document, _ = d.Of.adopted(document, gate.Rewritten(d.Of.Document, only, func(*directory.People) {}))
	narrow, own := d.Of.adopted(document, gate.Narrowed(d.Of.Document, only))
	onlyNamed(own, narrow.Gate)
	p.Own = unlessEmpty(own)
	return p, nil
}

// line finds a line of the drift by name.
func (d *Drift) line(named string) (*Line, error) {
	var names []string
	for i := range d.Lines {
		x := &d.Lines[i]
		if name.Equal(x.Name, named) || !x.Real && name.Equal(x.Name, d.Of.Reading.System+"/"+named) {
			return x, nil
		}
		names = append(names, x.Name)
	}
	return nil, &NoLineError{d.Of.Reading.System, named, names}
}

// comes are the lines of what was read that give some words what the lines of the map that stay do
// not give them.
func (d *Drift) comes(l *ledger, about []bool, dropped func(grant) bool) map[string]bool {
	rules, comes := d.there.Site.Index.All(), map[string]bool{}
	for i, at := range l.points {
		for _, g := range l.there[i] {
			if written := l.written[1]; !about[g.whom] || written != nil && !written[at].Includes(g.line) {
				continue
			}
			stays := func(h grant) bool { return g.is(h) && !dropped(h) }
			if !slices.ContainsFunc(l.here[i], stays) {
				comes[rules[g.line].Name] = true
			}
		}
	}
	return comes
}

// only leaves of whom a line is for some, named as the ledger names them.
func (c *Compiled) only(whom map[string]bool) func(*gate.Who) {
	return func(w *gate.Who) {
		w.Everyone = w.Everyone && whom[everyone]
		w.Users = those(w.Users, func(u name.Ref) bool { return whom[c.Full(u.Name)] })
		w.Groups = those(w.Groups, func(g name.Ref) bool { return whom[c.called(g.Name)] })
		w.Off = w.Off || w.Empty()
	}
}

// those are the entries of a list that are to stay; nil where none is.
func those[T any](list []T, stays func(T) bool) (some []T) {
	for _, x := range list {
		if stays(x) {
			some = append(some, x)
		}
	}
	return some
}

// onlyNamed leaves of a directory those whom lines of a document name, with who is in groups of them.
func onlyNamed(own *directory.Document, d gate.Document) {
	users, groups := map[string]bool{}, map[string]bool{}
	inside := func(r name.Ref) string { return strings.TrimPrefix(r.Name, own.Name+"/") }
	note := func(in map[string]bool, refs []name.Ref) (more bool) {
		for _, r := range refs {
			more = more || !in[inside(r)]
			in[inside(r)] = true
		}
		return more
	}
	gate.Inspect(d, func(w *gate.Who) {
		note(users, w.Users)
		note(groups, w.Groups)
		if w.Except != nil {
			note(users, w.Except.Users)
			note(groups, w.Except.Groups)
		}
	}, func(*directory.People) {})
	for more := true; more; {
		more = false
		for _, g := range own.Groups {
			if groups[g.Name] {
				note(users, g.Members.Users)
				more = note(groups, g.Members.Groups) || more
			}
		}
	}
	own.Users = those(own.Users, func(u *directory.User) bool { return users[u.Name] })
	own.Groups = those(own.Groups, func(g *directory.Group) bool { return groups[g.Name] })
}

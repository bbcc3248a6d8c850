package files

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

type point struct {
	system string
	share  *share
	folder int
	right  string
	asked  string // the object as asked
}

func (p *point) Object() string { return p.asked }

// lock is what the entries of a folder, and of those above it, say.
type lock struct {
	allows []*entry // that decide, or stand behind what decides
	denies []*entry // that decide
}

// lock looks for the first entries that name the subject and hold the right:
// those of the folder itself, then those of its parent, and so on while it
// inherits. At one distance a denial stands before what is allowed.
func (p *point) lock(q *gate.Question) lock {
	var l lock
	for i := p.folder; i >= 0 && len(l.allows) == 0; i = p.share.folders[i].parent {
		for j := range p.share.folders[i].entries {
			e := &p.share.folders[i].entries[j]
			switch {
			case !holds(e.grant, p.right) || !e.crowd.Has(q.Subject):
			case e.deny:
				l.denies = append(l.denies, e)
			default:
				l.allows = append(l.allows, e)
			}
		}
	}
	return l
}

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: p.system, Object: p.asked, Right: p.right}
	if declared := p.share.name + ":" + p.share.folders[p.folder].path; declared != p.asked {
		e.DecidedAt = declared
	}
	l := p.lock(q)
	if len(l.allows) == 0 {
		return e
	}
	for _, a := range l.allows {
		e.Routes = append(e.Routes, a.crowd.Routes(q, a.line.Name)...)
	}
	verdict := gate.Opened
	for _, d := range l.denies {
		verdict = verdict.And(gate.ShutFor(gate.ByDeny, d.line.Name, ""))
	}
	if q.Facts.Via != "local" {
		verdict = verdict.And(p.door(q))
	}
	e.Judge(verdict)
	return e
}

// door is the second lock: allowed by some entry and denied by none.
func (p *point) door(q *gate.Question) gate.Verdict {
	verdict := gate.Opened
	allowed := false
	for i := range p.share.door {
		e := &p.share.door[i]
		if !holds(e.grant, p.right) || !e.crowd.Has(q.Subject) {
			continue
		}
		if e.deny {
			verdict = verdict.And(gate.ShutFor(gate.ByDoor, e.line.Name, ""))
		} else {
			allowed = true
		}
	}
	if !allowed {
		return verdict.And(gate.ShutFor(gate.ByDoor, p.system+"/"+p.share.name+" door", ""))
	}
	return verdict
}

// Misses lists the entries that would allow it: those that nothing nearer
// keeps from being asked.
func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	for i := p.folder; i >= 0; i = p.share.folders[i].parent {
		for j := range p.share.folders[i].entries {
			e := &p.share.folders[i].entries[j]
			if e.deny || !holds(e.grant, p.right) {
				continue
			}
			if lacks := e.crowd.Lacks(q); lacks != nil {
				misses = append(misses, gate.Miss{Mapping: e.line.Name, Lacks: lacks})
			}
		}
	}
	return misses
}

// Reach lists the rights that the subject has on each declared folder.
func (c *cabinet) Reach(q *gate.Question, add func(gate.Entitlement)) {
	for i := range c.shares {
		s := &c.shares[i]
		for f := range s.folders {
			if !s.folders[f].declared {
				continue
			}
			for _, right := range rights {
				p := point{c.system, s, f, right, s.name + ":" + s.folders[f].path}
				if e := p.Decide(q); e.State != gate.None {
					add(e)
				}
			}
		}
	}
}

// At finds a right on share:/path. The path can be left out, and the share too
// where there is only one.
func (c *cabinet) At(object, right string) (gate.Point, error) {
	if !slices.Contains(rights, right) {
		return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: name.Near(right, slices.Values(rights)), Within: c.system}
	}
	if object == "" {
		if len(c.shares) != 1 {
			return nil, &gate.ObjectNeededError{System: c.system, Objects: slices.Collect(c.objects)}
		}
		object = c.shares[0].name
	}
	shareName, path, given := strings.Cut(object, ":")
	if !given {
		path = "/"
	}
	if len(path) > 1 {
		path = strings.TrimRight(path, "/")
	}
	for i := range c.shares {
		s := &c.shares[i]
		if s.name == shareName && strings.HasPrefix(path, "/") {
			return &point{c.system, s, s.nearest(path), right, s.name + ":" + path}, nil
		}
	}
	return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, c.objects), Within: c.system}
}

func (c *cabinet) objects(yield func(string) bool) {
	for _, s := range c.shares {
		for _, f := range s.folders {
			if f.declared && !yield(s.name+":"+f.path) {
				return
			}
		}
	}
}

// Check looks at each entry.
func (c *cabinet) Check(r *gate.Report) {
	for _, s := range c.shares {
		checkEntries(r, s.door)
		for i := range s.folders {
			f := &s.folders[i]
			checkEntries(r, f.entries)
			for j := range f.entries {
				e := &f.entries[j]
				all := !slices.ContainsFunc(rights, func(x string) bool { return !holds(e.grant, x) })
				if !e.deny && all && e.crowd.Everyone && !e.crowd.Nobody() {
					r.AllToEveryone(e.line, s.name+":"+f.path)
				}
			}
		}
	}
}

// checkEntries looks at what the entries of one door or folder allow.
func checkEntries(r *gate.Report, list []entry) {
	for i := range list {
		if list[i].deny {
			continue
		}
		r.DirectUsers(&list[i].crowd, list[i].line)
		if i > 0 && list[i-1].line == list[i].line {
			continue // it denies too
		}
		r.Redundant(i, len(list), func(i int) gate.Line { return list[i].line },
			func(wide, narrow int) bool { return wider(r, &list[wide], &list[narrow]) })
	}
}

func wider(r *gate.Report, wide, narrow *entry) bool {
	more := func(x string) bool { return holds(narrow.grant, x) && !holds(wide.grant, x) }
	return !wide.deny && !slices.ContainsFunc(rights, more) && wide.crowd.Covers(r.Book, &narrow.crowd)
}

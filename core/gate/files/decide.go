package files

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
)

type point struct {
	system string
	share  *share
	folder int
	right  int    // its place in rights
	asked  string // the object as asked
	// decidedAt is the folder that decides, where it is not the one asked about.
	decidedAt string
}

func (p *point) Object() string { return p.asked }

// Lines are the entries of the folder, of those above it, and of the door.
func (p *point) Lines() gate.Held {
	var lines gate.Held
	add := func(entries []entry) {
		for i := range entries {
			if e := &entries[i]; e.grant.has(p.right) {
				lines.Add(e.crowd)
			}
		}
	}
	for i := p.folder; i >= 0; i = p.share.folders[i].parent {
		add(p.share.folders[i].entries)
	}
	add(p.share.door)
	return lines
}

// lock looks for the first entries that name the subject and hold the right:
// those of the folder itself, then those of its parent, and so on while it
// inherits. At one distance a denial stands before what is allowed. It visits
// those that decide, and those that stand behind what decides.
func (p *point) lock(q *gate.Question, visit func(*entry)) (allowed bool) {
	for i := p.folder; i >= 0 && !allowed; i = p.share.folders[i].parent {
		for j := range p.share.folders[i].entries {
			if e := &p.share.folders[i].entries[j]; e.grant.has(p.right) && e.crowd.Has(q) {
				allowed = allowed || !e.deny
				visit(e)
			}
		}
	}
	return allowed
}

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: p.system, Object: p.asked, Right: rights[p.right], DecidedAt: p.decidedAt}
	verdict := gate.Opened
	if !p.lock(q, func(x *entry) {
		if x.deny {
			verdict = verdict.And(q.ShutFor(gate.ByDeny, x.line.Name, ""))
		} else {
			e.Come(x.crowd.Routes(q, x.line.Name))
		}
	}) {
		return e
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
		if !e.grant.has(p.right) || !e.crowd.Has(q) {
			continue
		}
		if e.deny {
			verdict = verdict.And(q.ShutFor(gate.ByDoor, e.line.Name, ""))
		} else {
			allowed = true
			q.Note(&e.line, situation.True)
		}
	}
	if !allowed {
		return verdict.And(q.ShutFor(gate.ByDoor, p.share.doorAt, ""))
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
			if e.deny || !e.grant.has(p.right) {
				continue
			}
			if lacks := e.crowd.Lacks(q); lacks != nil {
				misses = append(misses, gate.Miss{Mapping: e.line.Name, Lacks: lacks})
			}
		}
	}
	return misses
}

// Giving are the lines without any of which there is nothing to list.
func (c *cabinet) Giving() gate.Held {
	all := gate.Held{}
	for i := range c.shares {
		all.Join(c.shares[i].giving)
	}
	return all
}

// Reach lists the rights that the subject has on each declared folder.
func (c *cabinet) Reach(q *gate.Question, add func(gate.Entitlement)) {
	for i := range c.shares {
		s := &c.shares[i]
		if !q.Held(c.roster).Meets(s.giving) {
			continue
		}
		for f := range s.folders {
			if !s.folders[f].declared {
				continue
			}
			for right := range rights {
				p := point{c.system, s, f, right, s.folders[f].object, ""}
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
	index := slices.Index(rights, right)
	if index < 0 {
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
			f, asked := s.nearest(path), s.name+":"+path
			p := &point{c.system, s, f, index, asked, ""}
			if declared := s.folders[f].object; declared != asked {
				p.decidedAt = declared
			}
			return p, nil
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
				all := e.grant == bitsOf([]Grant{"full"})
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
		r.DirectUsers(list[i].crowd, list[i].line)
		if i > 0 && list[i-1].line == list[i].line {
			continue // it denies too
		}
		r.Redundant(i, len(list), func(i int) gate.Line { return list[i].line },
			func(wide, narrow int) bool { return wider(r, &list[wide], &list[narrow]) })
	}
}

func wider(r *gate.Report, wide, narrow *entry) bool {
	return !wide.deny && narrow.grant&^wide.grant == 0 && wide.crowd.Covers(r.Book, narrow.crowd)
}

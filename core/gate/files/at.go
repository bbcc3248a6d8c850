package files

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

// At finds a right on share:/path. The path can be left out, and the share too
// where there is only one.
func (c *compiled) At(object, right string) (rule.Permission, error) {
	index := slices.Index(rights, right)
	if index < 0 {
		return nil, &directory.NotFoundError{
			Kind:   "right",
			Name:   right,
			Near:   name.Near(right, slices.Values(rights)),
			Within: c.System,
		}
	}
	if object == "" {
		if len(c.shares) != 1 {
			return nil, &rule.ObjectNeededError{System: c.System, Objects: slices.Collect(c.objects)}
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
			f := &s.folders[s.nearest(path)]
			e := c.Entry(s.name+":"+path, right, f.decisions[index])
			if f.object != e.On {
				e.DecidedAt = f.object
			}
			return e, nil
		}
	}
	return nil, &directory.NotFoundError{
		Kind:   "object",
		Name:   object,
		Near:   name.Near(object, c.objects),
		Within: c.System,
	}
}

func (c *compiled) objects(yield func(string) bool) {
	for _, s := range c.shares {
		for _, f := range s.folders {
			if f.declared && !yield(s.name+":"+f.path) {
				return
			}
		}
	}
}

// Catalogue lists the shares and their declared folders, and the five rights.
func (c *compiled) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: slices.Collect(c.objects), Rights: rights}
}

// Check looks at each entry.
func (c *compiled) Check(r *gate.Report) {
	for _, s := range c.shares {
		checkEntries(r, s.door)
		for i := range s.folders {
			f := &s.folders[i]
			checkEntries(r, f.entries)
			for _, e := range f.entries {
				if e.Effect == rule.Giving && e.grant == bitsOf([]Grant{"full"}) && e.Everyone && !e.Nobody() {
					r.AllToEveryone(e.Line, f.object)
				}
			}
		}
	}
}

// checkEntries looks at what the entries of one door or folder allow.
func checkEntries(r *gate.Report, list []entry) {
	rules := make([]*rule.Rule, len(list))
	for i := range list {
		rules[i] = list[i].Rule
	}
	for i := range list {
		switch {
		case list[i].Effect == rule.Taking:
		case i > 0 && list[i-1].Line == list[i].Line: // it denies too
			r.DirectUsers(list[i].Rule)
		default:
			r.Mapped(rules, i, func(wide, narrow int) bool { return list[wide].wider(r, &list[narrow]) })
		}
	}
}

// wider says whether an entry allows the same people the same as another, or more.
func (e *entry) wider(r *gate.Report, narrow *entry) bool {
	return e.Effect == rule.Giving && narrow.grant&^e.grant == 0 && e.Covers(r.Book, narrow.Rule)
}

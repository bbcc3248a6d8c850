package directory

import (
	"slices"
	"strings"

	"gatemap/core/name"
)

// A distinguished name that a record of a directory refers to is looked up in that
// directory, where it lies under its own bases, and nowhere else; one that does not, in the
// directories under whose bases it lies, as members from another domain do (docs/model.md
// section 3, Identity).

// bearers lists what bears a distinguished name, in whichever directories.
func (b *Book) bearers(dn string) []object {
	if !b.byDN.twice {
		if o, ok := b.named(dn); ok {
			return []object{o}
		}
		return nil
	}
	canonical, ok := name.DN(dn)
	if !ok {
		return nil
	}
	var all []object
	for n := range b.byDN.canonical.at(b.byDN.canonical.hash([]byte(canonical))) {
		if o := b.object(n); b.byDN.is(n, []byte(canonical)) && !b.went(o) {
			all = append(all, o)
		}
	}
	if o, ok := b.dns[canonical]; ok {
		all = append(all, o)
	}
	return all
}

// homeOf is the number of the directory in which something is.
func (b *Book) homeOf(o object) int {
	switch o.kind {
	case "user":
		return int(b.users.home[o.id])
	case "group":
		return int(b.groups.home[o.id])
	}
	return int(b.devices.home[o.id])
}

// meant is what a distinguished name means that a record of a directory refers to. Several
// are what it may mean.
func (b *Book) meant(dn string, home int) []object {
	all := b.bearers(dn)
	var own, based []object
	for _, o := range all {
		switch at := b.homeOf(o); {
		case at == home:
			own = append(own, o)
		case b.owns(at, dn):
			based = append(based, o)
		}
	}
	switch {
	case own != nil:
		return own[:1]
	case len(all) == 0 || b.owns(home, dn):
		return nil
	case based != nil:
		return based
	}
	return all
}

// owns says whether a distinguished name lies under the bases of a directory: those of its
// source, or, where that names none, what all of its users stand under.
func (b *Book) owns(home int, dn string) bool {
	canonical, ok := name.DN(dn)
	if !ok {
		return false
	}
	for _, base := range b.bases()[home] {
		if canonical == base || strings.HasSuffix(canonical, "\x00"+base) {
			return true
		}
	}
	return false
}

// basesOf computes the bases of all directories, in canonical form.
func basesOf(docs []*Document) [][]string {
	all := make([][]string, len(docs))
	for i, d := range docs {
		if all[i] = declared(d.Source); all[i] != nil {
			continue
		}
		if above, ok := above(d); ok && d.Source != nil {
			all[i] = []string{above}
		}
	}
	return all
}

// declared are the bases that a source names for everything that it brings in; nil if it
// leaves some to the server.
func declared(s *Source) (bases []string) {
	if s == nil {
		return nil
	}
	add := func(list []Base) bool {
		for _, base := range list {
			if canonical, ok := name.DN(base.Value); ok {
				bases = append(bases, canonical)
			}
		}
		return len(list) > 0
	}
	if s.Users != nil && !add(s.Users.Base) || s.Groups != nil && !add(s.Groups.Base) ||
		s.Devices != nil && !add(s.Devices.Base) {
		return nil
	}
	return bases
}

// above is the longest distinguished name under which all users of a directory stand; ok
// is false where none has one, or they have none in common.
func above(d *Document) (base string, ok bool) {
	var c common
	for _, u := range d.Users {
		c.take(u.DN)
	}
	return c.base, c.seen && c.base != ""
}

// common is what some distinguished names stand under, in canonical form.
type common struct {
	base string
	seen bool
}

func (c *common) take(dn string) {
	canonical, is := name.DN(dn)
	if !is {
		return
	}
	_, parent, _ := strings.Cut(canonical, "\x00")
	if !c.seen {
		c.base, c.seen = parent, true
		return
	}
	for c.base != "" && canonical != c.base && !strings.HasSuffix(canonical, "\x00"+c.base) {
		_, c.base, _ = strings.Cut(c.base, "\x00")
	}
}

// keepsBases says whether the directories have the bases that they had before users came
// and went.
func (b *Book) keepsBases(base *Book) bool {
	for _, u := range b.MovedUsers() {
		home := b.HomeOf(u)
		if d := b.directories[home]; d.Source == nil || declared(d.Source) != nil {
			continue
		}
		switch {
		case b.HasUser(u) && b.User(u).DN != "" && !b.owns(home, b.User(u).DN):
			return false
		case !b.HasUser(u) && base.User(u).DN != "" && !b.standUnder(home):
			return false
		}
	}
	return true
}

// standUnder says whether the users of a directory have no more in common than its base.
func (b *Book) standUnder(home int) bool {
	var c common
	for u := range b.AllUsers {
		if b.HomeOf(u) != home {
			continue
		}
		if c.take(b.User(u).DN); c.seen && slices.Contains(b.bases()[home], c.base) {
			return true
		}
	}
	return false
}

// byName lists what a distinguished name may mean, in the records of a directory or, where
// home is "", in a line: written directory/DN it is one of that directory.
func (b *Book) byName(written, home, kind string) (hits []int) {
	if !strings.Contains(written, "=") {
		return nil
	}
	all := b.bearers(written)
	if first, rest, cut := strings.Cut(written, "/"); cut && len(all) == 0 {
		if at := b.directory(first); at >= 0 {
			for _, o := range b.bearers(rest) {
				if b.homeOf(o) == at {
					all = append(all, o)
				}
			}
		}
	} else if at := b.directory(home); at >= 0 {
		all = b.meant(written, at)
	}
	for _, o := range all {
		if o.kind == kind {
			hits = append(hits, int(o.id))
		}
	}
	return hits
}

// directory is the number of a directory; -1 if there is none by this name.
func (b *Book) directory(named string) int {
	for i, d := range b.directories {
		if name.Equal(d.Name, named) {
			return i
		}
	}
	return -1
}

// foreign says whether a distinguished name that leads to nothing is of someone whom a
// directory need not have: of another domain, a contact, or gone, as the server that has the
// group sees it. What is written in a file of the map is to be corrected there instead.
func (b *Book) foreign(dn string, home int) bool {
	s := b.directories[home].Source
	if _, is := name.DN(dn); !is || s == nil {
		return false
	}
	return s.Connection.Live || !b.owns(home, dn)
}

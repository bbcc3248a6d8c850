package directory

import (
	"fmt"
	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
	"strings"
)

// joining computes what one group holds.
type joining struct {
	book     *Book
	id       GroupID
	group    *Group
	users    []link
	groups   []GroupID
	devices  []DeviceID
	managers Party
	findings []finding.Finding
	some     []name.Ref // room for two batches
}

func (j *joining) find(code finding.Code, at place.Place, names []string, message, fix string) {
	j.findings = append(j.findings, finding.New(code, at, message, fix, names...))
}

func (j *joining) all() {
	b, g := j.book, j.group
	home := b.GroupHome(j.id)
	what := "Group " + b.GroupName(j.id)
	if g.Managers != nil {
		j.managers = j.party(g.Managers, home, what+", under managers,")
	}
	if g.Rule != nil {
		j.checkRule()
	}
	if g.Members == nil {
		return
	}
	j.users = make([]link, 0, len(g.Members.Users)+len(g.Members.Any))
	each(j, g.Members.Users, home, what, b.FindUser, j.addUser)
	each(j, g.Members.Groups, home, what, b.FindGroup, j.addGroup)
	each(j, g.Members.Devices, home, what, b.FindDevice, j.addDevice)
	j.addMany(g.Members.Any, home, what)
}

// each looks names up and adds what they lead to.
func each[T any](
	j *joining,
	refs []name.Ref,
	home, what string,
	find func(written, home string) (T, error),
	add func(T, place.Place),
) {
	for _, r := range refs {
		if id, err := find(r.Name, home); err != nil {
			j.findings = append(j.findings, ReportMissing(r, err, what))
		} else {
			add(id, r.Place)
		}
	}
}

// addMany adds members of which the source does not say what they are: found many at
// once as far as that goes, and else one by one.
func (j *joining) addMany(refs []name.Ref, home, what string) {
	b := j.book
	dns := batch{some: j.some[:0:ahead], find: b.byDN.findAll, object: b.object}
	names := batch{some: j.some[ahead : ahead : 2*ahead],
		find:   func(refs []name.Ref) [ahead]uint32 { return b.users.findAll(b.folded[b.groups.home[j.id]], refs) },
		object: func(n uint32) object { return object{"user", n} },
	}
	flush := func(x *batch) {
		found := x.find(x.some)
		for i, r := range x.some {
			if found[i] == none {
				j.addAny(r, home, what)
			} else if o := x.object(found[i]); b.went(o) || b.homeOf(o) != int(b.groups.home[j.id]) {
				j.addAny(r, home, what)
			} else {
				j.addObject(o, r.Place)
			}
		}
		x.some = x.some[:0]
	}
	for _, r := range refs {
		x := &names
		if strings.Contains(r.Name, "=") {
			x = &dns
		}
		if x.some = append(x.some, r); len(x.some) == ahead {
			flush(x)
		}
	}
	flush(&dns)
	flush(&names)
}

// batch is some references that are looked up together, at most ahead of them.
type batch struct {
	some   []name.Ref
	find   func([]name.Ref) [ahead]uint32
	object func(uint32) object
}

// addAny adds a member of which the source does not say what it is.
func (j *joining) addAny(r name.Ref, home, what string) {
	b := j.book
	if meant := b.meant(r.Name, int(b.groups.home[j.id])); len(meant) == 1 {
		j.addObject(meant[0], r.Place)
	} else if hits := lookup(b, &b.users, r.Name, home); len(hits) == 1 {
		j.addUser(UserID(hits[0]), r.Place)
	} else if hits := lookup(b, &b.groups, r.Name, home); len(hits) == 1 {
		j.addGroup(GroupID(hits[0]), r.Place)
	} else if hits := lookup(b, &b.devices, r.Name, home); len(hits) == 1 {
		j.addDevice(DeviceID(hits[0]), r.Place)
	} else if b.foreign(r.Name, int(b.groups.home[j.id])) {
		j.find(finding.ForeignAccount, r.Place, []string{r.Name},
			fmt.Sprintf("%s lists %s, which no directory of the map knows: an account of another domain, a contact, "+
				"or one that is gone.", what, r.Name),
			"Connect the directory that has it, if it is to hold anything.")
	} else {
		_, err := b.FindDevice(r.Name, home)
		missing := *err.(*NotFoundError)
		missing.Kind = "member"
		j.findings = append(j.findings, ReportMissing(r, &missing, what))
	}
}

func (j *joining) addObject(o object, at place.Place) {
	switch o.kind {
	case "user":
		j.addUser(UserID(o.id), at)
	case "group":
		j.addGroup(GroupID(o.id), at)
	default:
		j.addDevice(DeviceID(o.id), at)
	}
}

func (j *joining) party(p *People, home, what string) Party {
	var all Party
	each(j, p.Users, home, what, j.book.FindUser, func(u UserID, _ place.Place) { all.Users = append(all.Users, u) })
	each(j, p.Groups, home, what, j.book.FindGroup, func(g GroupID, _ place.Place) { all.Groups = append(all.Groups, g) })
	return all
}

// foreign says whether a group that takes members from its own directory alone would
// hold someone of another, and reports it.
func foreign[T any](j *joining, s *recordList[T], id uint32, at place.Place) bool {
	b := j.book
	if j.group.MembersFrom != "own" || s.home[id] == b.groups.home[j.id] {
		return false
	}
	prefix := ""
	if s.kind != "user" {
		prefix = s.kind + " "
	}
	j.find(
		finding.ForeignMember,
		at,
		[]string{b.GroupName(j.id), s.full[id]},
		fmt.Sprintf(
			"Group %s takes members from its own directory only (members_from: own), so %s%s is not a member.",
			b.GroupName(j.id),
			prefix,
			s.full[id],
		),
		"Remove the "+s.kind+", or set members_from: any.",
	)
	return true
}

func (j *joining) addUser(u UserID, at place.Place) {
	if !foreign(j, &j.book.users, uint32(u), at) {
		j.users = append(j.users, newLink(uint32(u), direct))
	}
}

func (j *joining) addDevice(d DeviceID, at place.Place) {
	if !foreign(j, &j.book.devices, uint32(d), at) {
		j.devices = append(j.devices, d)
	}
}

// addGroup nests another group in this one where the reach of both allows it.
func (j *joining) addGroup(inner GroupID, at place.Place) {
	b := j.book
	names := []string{b.GroupName(j.id), b.GroupName(inner)}
	if b.Group(inner).Kind == "mail" {
		j.find(finding.MailNested, at, names,
			fmt.Sprintf("Group %s contains the mail group %s: nothing flows through it.", names[0], names[1]),
			"Remove it, or make it a security group if its members should count.")
		return
	}
	if reason := b.barred(j.id, inner); reason != "" {
		j.find(finding.Nesting, at, names,
			fmt.Sprintf("Group %s cannot hold %s: %s.", names[0], names[1], reason),
			"Remove it, or change members_from or usable_in of one of the two.")
		return
	}
	j.groups = append(j.groups, inner)
}

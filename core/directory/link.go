package directory

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
)

// link works out the direct memberships and the nesting of groups.
func (b *Book) link() {
	b.userGroups = make([][]edge, b.Users())
	b.parents = make([][]GroupID, b.Groups())
	b.deviceIn = make([][]GroupID, b.Devices())
	b.collectAttributes()
	for id := range b.groups.records {
		b.linkGroup(GroupID(id))
	}
	b.linkPrimary()
	b.turnAround()
	b.findCycles()
}

func (b *Book) find(code finding.Code, at place.Place, names []string, message, fix string) {
	b.findings = append(b.findings, finding.New(code, at, message, fix, names...))
}

// ReportMissing turns a failed look-up into a finding at the reference.
func ReportMissing(ref name.Ref, err error, what string) finding.Finding {
	var missing *NotFoundError
	if !errors.As(err, &missing) {
		return finding.New(finding.UnknownName, ref.Place, what+": "+err.Error(), "Correct the name.", ref.Name)
	}
	if len(missing.Candidates) > 0 {
		return finding.New(finding.AmbiguousName, ref.Place,
			fmt.Sprintf("%s names %s %q, which stands in several directories.", what, missing.Kind, ref.Name),
			"Write the full name: "+strings.Join(missing.Candidates, " or ")+".", missing.Candidates...)
	}
	fix := "Correct the name, or add what it names."
	if len(missing.Near) > 0 {
		fix = "Write " + strings.Join(missing.Near, " or ") + ", or add what the name stands for."
	}
	return finding.New(finding.UnknownName, ref.Place,
		fmt.Sprintf("%s names %s %q, which does not exist%s", what, missing.Kind, ref.Name, cmp.Or(name.DidYouMean(missing.Near), ".")),
		fix, ref.Name)
}

func (b *Book) linkGroup(id GroupID) {
	g := b.Group(id)
	home := b.GroupHome(id)
	what := "Group " + b.GroupName(id)
	if g.Managers != nil {
		b.managers[id] = b.party(g.Managers, home, what+", under managers,")
	}
	if g.Rule != nil {
		b.linkRule(id)
	}
	if g.Members == nil {
		return
	}
	for _, r := range g.Members.Users {
		if u, err := b.FindUser(r.Name, home); err != nil {
			b.findings = append(b.findings, ReportMissing(r, err, what))
		} else {
			b.addUser(id, u, Direct, r.Place)
		}
	}
	for _, r := range g.Members.Groups {
		if inner, err := b.FindGroup(r.Name, home); err != nil {
			b.findings = append(b.findings, ReportMissing(r, err, what))
		} else {
			b.addGroup(id, inner, r.Place)
		}
	}
	for _, r := range g.Members.Devices {
		if d, err := b.FindDevice(r.Name, home); err != nil {
			b.findings = append(b.findings, ReportMissing(r, err, what))
		} else {
			b.addDevice(id, d, r.Place)
		}
	}
	for _, r := range g.Members.Any {
		b.addAny(id, r, home, what)
	}
}

// addAny adds a member of which the source does not say what it is.
func (b *Book) addAny(id GroupID, r name.Ref, home, what string) {
	u, err := b.FindUser(r.Name, home)
	if err == nil {
		b.addUser(id, u, Direct, r.Place)
	} else if inner, err := b.FindGroup(r.Name, home); err == nil {
		b.addGroup(id, inner, r.Place)
	} else if d, err := b.FindDevice(r.Name, home); err == nil {
		b.addDevice(id, d, r.Place)
	} else {
		missing := *err.(*NotFoundError)
		missing.Kind = "member"
		b.findings = append(b.findings, ReportMissing(r, &missing, what))
	}
}

func (b *Book) party(p *People, home, what string) Party {
	var all Party
	for _, r := range p.Users {
		if u, err := b.FindUser(r.Name, home); err != nil {
			b.findings = append(b.findings, ReportMissing(r, err, what))
		} else {
			all.Users = append(all.Users, u)
		}
	}
	for _, r := range p.Groups {
		if g, err := b.FindGroup(r.Name, home); err != nil {
			b.findings = append(b.findings, ReportMissing(r, err, what))
		} else {
			all.Groups = append(all.Groups, g)
		}
	}
	return all
}

func (b *Book) addUser(id GroupID, u UserID, how How, at place.Place) {
	if b.Group(id).Draws == "own" && b.users.home[u] != b.groups.home[id] {
		b.find(finding.ForeignMember, at, []string{b.GroupName(id), b.UserName(u)},
			fmt.Sprintf("Group %s draws its members from its own directory only, so %s is not a member.", b.GroupName(id), b.UserName(u)),
			"Take the user out, or let the group draw from any directory.")
		return
	}
	b.userGroups[u] = append(b.userGroups[u], edge{id, how})
}

func (b *Book) addDevice(id GroupID, d DeviceID, at place.Place) {
	if b.Group(id).Draws == "own" && b.devices.home[d] != b.groups.home[id] {
		b.find(finding.ForeignMember, at, []string{b.GroupName(id), b.devices.full[d]},
			fmt.Sprintf("Group %s draws its members from its own directory only, so device %s is not a member.", b.GroupName(id), b.devices.full[d]),
			"Take the device out, or let the group draw from any directory.")
		return
	}
	b.deviceIn[d] = append(b.deviceIn[d], id)
}

// addGroup nests one group in another where the reach of both allows it.
func (b *Book) addGroup(outer, inner GroupID, at place.Place) {
	names := []string{b.GroupName(outer), b.GroupName(inner)}
	if b.Group(inner).Kind == "mail" {
		b.find(finding.MailNested, at, names,
			fmt.Sprintf("Group %s holds the mail group %s: nothing flows through it.", names[0], names[1]),
			"Take it out, or make it a security group if its members are meant.")
		return
	}
	if reason := b.barred(outer, inner); reason != "" {
		b.find(finding.Nesting, at, names,
			fmt.Sprintf("Group %s cannot hold %s: %s.", names[0], names[1], reason),
			"Take it out, or change the reach of one of the two.")
		return
	}
	b.parents[inner] = append(b.parents[inner], outer)
}

// barred says why the reach of two groups forbids that outer holds inner
// (docs/model.md section 3), or "".
func (b *Book) barred(outer, inner GroupID) string {
	o, i := b.Group(outer), b.Group(inner)
	same := b.groups.home[outer] == b.groups.home[inner]
	switch {
	case i.Opens == "host":
		return "a group that opens host is never nested"
	case i.Opens.width() < o.Opens.width():
		return "the inner group opens less widely than the outer one"
	case o.Opens == "own" && i.Opens == "own" && !same:
		return "both open own, and they are of different directories"
	case o.Draws == "own" && i.Draws != "own":
		return "the inner group draws more widely than the outer one"
	case o.Draws == "own" && !same:
		return "the outer group draws its members from its own directory only"
	}
	return ""
}

func (b *Book) collectAttributes() {
	b.attributes = map[string]bool{}
	for _, u := range b.users.records {
		b.attributes["USERNAME"], b.attributes["ACTIVE"] = true, true
		if !u.Expires.IsZero() {
			b.attributes["EXPIRES"] = true
		}
		for i := range u.Attributes {
			b.attributes[u.Attributes[i].folded] = true
			head, _, _ := strings.Cut(u.Attributes[i].folded, ".")
			b.attributes[head] = true
		}
	}
}

// linkRule makes every user a member whom the rule describes: of all
// directories, or of its own where the group draws own.
func (b *Book) linkRule(id GroupID) {
	g := b.Group(id)
	for a := range g.Rule.Filter.Attributes() {
		if b.HasAttribute(a.Name) {
			continue
		}
		near := name.Near(a.Name, b.AttributeNames())
		b.find(finding.UnknownAttribute, g.Rule.Place, []string{b.GroupName(id), a.Name},
			fmt.Sprintf("The rule of group %s asks for the attribute %s (column %d of the rule), which no user has%s",
				b.GroupName(id), a.Name, a.Column, cmp.Or(name.DidYouMean(near), ".")),
			"Correct the attribute's name, or see that the directory brings it in.")
	}
	for u := range b.users.records {
		if g.Draws == "own" && b.users.home[u] != b.groups.home[id] {
			continue
		}
		if g.Rule.Filter.Match(record{b.users.records[u], b.exact[b.users.home[u]]}) {
			b.userGroups[u] = append(b.userGroups[u], edge{id, ByRule})
		}
	}
}

func (b *Book) linkPrimary() {
	for id, u := range b.users.records {
		if u.PrimaryGroup.Name == "" {
			continue
		}
		g, err := b.FindGroup(u.PrimaryGroup.Name, b.UserHome(UserID(id)))
		if err != nil {
			b.findings = append(b.findings, ReportMissing(u.PrimaryGroup, err, "User "+b.UserName(UserID(id))+", as primary group,"))
			continue
		}
		b.addUser(g, UserID(id), Primary, u.PrimaryGroup.Place)
	}
}

var howRank = map[How]int{Direct: 0, Primary: 1, ByRule: 2}

// turnAround sorts the edges, drops those that stand twice and makes the lists
// that run the other way.
func (b *Book) turnAround() {
	b.groupUsers = make([][]member, b.Groups())
	for u, edges := range b.userGroups {
		slices.SortFunc(edges, func(x, y edge) int {
			return cmp.Or(cmp.Compare(x.group, y.group), cmp.Compare(howRank[x.how], howRank[y.how]))
		})
		edges = slices.CompactFunc(edges, func(x, y edge) bool { return x.group == y.group })
		b.userGroups[u] = edges
		for _, e := range edges {
			b.groupUsers[e.group] = append(b.groupUsers[e.group], member{UserID(u), e.how})
		}
	}
	b.children = make([][]GroupID, b.Groups())
	for inner, outers := range b.parents {
		slices.Sort(outers)
		b.parents[inner] = slices.Compact(outers)
		for _, outer := range b.parents[inner] {
			b.children[outer] = append(b.children[outer], GroupID(inner))
		}
	}
}

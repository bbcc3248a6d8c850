package directory

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"

	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/parallel"
)

// link computes the direct memberships and the nesting of groups.
func (b *Book) link() {
	primary := b.takeStock()
	joined := make([]joining, b.Groups())
	parallel.For(b.Groups(), 64, func(from, to int) {
		some := make([]name.Ref, 2*ahead)
		for id := from; id < to; id++ {
			joined[id] = joining{book: b, id: GroupID(id), group: b.groups.records[id], some: some}
			joined[id].all()
			joined[id].some = nil
		}
	})
	b.rules = newRules(b)
	parents := make([][]GroupID, b.Groups())
	members := make([][]link, b.Groups())
	b.deviceIn = make([][]GroupID, b.Devices())
	for id := range joined {
		j := &joined[id]
		members[id] = j.users
		for _, inner := range j.groups {
			parents[inner] = append(parents[inner], GroupID(id))
		}
		for _, d := range j.devices {
			b.deviceIn[d] = append(b.deviceIn[d], GroupID(id))
		}
		if j.group.Managers != nil {
			b.managers[GroupID(id)] = j.managers
		}
		if len(j.findings) > 0 {
			b.found[GroupID(id)] = j.findings
		}
	}
	parallel.Do(func() {
		b.rules.enrol(b, members)
		b.linkPrimary(primary, members)
		b.linkDevices()
	}, func() {
		b.nesting = newNesting(parents)
	})
	b.reportComponents()
	b.turnAround(members)
	b.within = newEffective(&b.userGroups, b.nesting)
}

// ReportMissing turns a failed look-up into a finding at the reference.
func ReportMissing(ref name.Ref, err error, what string) finding.Finding {
	var missing *NotFoundError
	if !errors.As(err, &missing) {
		return finding.New(finding.UnknownName, ref.Place, what+": "+err.Error(), "Correct the name.", ref.Name)
	}
	if len(missing.Candidates) > 0 {
		return finding.New(finding.AmbiguousName, ref.Place,
			fmt.Sprintf("%s names %s %q, which exists in several directories.", what, missing.Kind, ref.Name),
			"Write the full name: "+strings.Join(missing.Candidates, " or ")+".", missing.Candidates...)
	}
	fix := "Correct the name, or add what is missing."
	if len(missing.Near) > 0 {
		fix = "Write " + strings.Join(missing.Near, " or ") + ", or add what is missing."
	}
	return finding.New(
		finding.UnknownName,
		ref.Place,
		fmt.Sprintf(
			"%s names %s %q, which does not exist%s",
			what,
			missing.Kind,
			ref.Name,
			cmp.Or(name.DidYouMean(missing.Near), "."),
		),
		fix,
		ref.Name,
	)
}

// barred says why the reach of two groups forbids that outer holds inner
// (docs/model.md section 3), or "".
func (b *Book) barred(outer, inner GroupID) string {
	o, i := b.Group(outer), b.Group(inner)
	same := b.groups.home[outer] == b.groups.home[inner]
	switch {
	case i.UsableIn == "host":
		return "a group usable in one system only is never nested"
	case i.UsableIn.width() < o.UsableIn.width():
		return "the inner group is usable less widely than the outer one"
	case o.UsableIn == "own" && i.UsableIn == "own" && !same:
		return "both open own, and they are of different directories"
	case o.MembersFrom == "own" && i.MembersFrom != "own":
		return "the inner group takes members from more directories than the outer one"
	case o.MembersFrom == "own" && !same:
		return "the outer group takes members from its own directory only"
	}
	return ""
}

// reportRings reports every set of groups that hold each other.
func (b *Book) reportComponents() {
	for _, component := range b.nesting.components {
		names := make([]string, len(component))
		for i, g := range component {
			names[i] = b.GroupName(g)
		}
		b.findings = append(b.findings, finding.New(finding.Cycle, b.Group(component[0]).Place,
			fmt.Sprintf("Groups contain each other in a circle, so all have the same members: %s.", strings.Join(names, ", ")),
			"Remove one of them from another.", names...))
	}
}

// Suggested is for how many names that lead to nothing, in one place, the nearest
// ones are looked for. Where more are lost, a whole directory is.
const Suggested = 10

// linkPrimary adds the groups that the records of some users name.
func (b *Book) linkPrimary(users []UserID, members [][]link) {
	lost := 0
	b.primaries = map[string]bool{}
	for _, id := range users {
		if g, ok := primaryGroup(b, &b.users, uint32(id), b.User(id).PrimaryGroup, &lost); ok {
			members[g] = append(members[g], newLink(uint32(id), primary))
		}
	}
}

// primaryGroup is the group that a record names as its own; what keeps the record out of it
// is found. lost counts names that lead to nothing.
func primaryGroup[T any](b *Book, s *recordList[T], id uint32, ref name.Ref, lost *int) (GroupID, bool) {
	b.primaries[ref.Name] = true
	home := b.directories[s.home[id]].Name
	g, err := b.LookGroup(ref.Name, home)
	if err != nil {
		if *lost++; *lost <= Suggested {
			_, err = b.FindGroup(ref.Name, home)
		}
		b.findings = append(
			b.findings,
			ReportMissing(ref, err, strings.ToUpper(s.kind[:1])+s.kind[1:]+" "+s.full[id]+", as primary group,"),
		)
		return 0, false
	}
	j := joining{book: b, id: g, group: b.Group(g)}
	if foreign(&j, s, id, ref.Place) {
		b.findings = append(b.findings, j.findings...)
		return 0, false
	}
	return g, true
}

// linkDevices adds the groups that the records of some devices name.
func (b *Book) linkDevices() {
	b.devicePrimary = map[DeviceID]GroupID{}
	lost := 0
	for i, d := range b.devices.records {
		id := DeviceID(i)
		if d.PrimaryGroup.Name == "" {
			continue
		}
		g, ok := primaryGroup(b, &b.devices, uint32(id), d.PrimaryGroup, &lost)
		if ok && !slices.Contains(b.deviceIn[id], g) {
			b.deviceIn[id] = append(b.deviceIn[id], g)
			b.devicePrimary[id] = g
		}
	}
}

// turnAround makes the lists by user and by group, and drops memberships that stand
// twice: the plainest stays.
func (b *Book) turnAround(members [][]link) {
	byGroup := gather(members)
	all := turned(&byGroup, b.Users())
	var twice atomic.Bool
	parallel.For(b.Users(), 4096, func(from, to int) {
		for u := from; u < to; u++ {
			list := all.at(uint32(u))
			for i := 1; i < len(list); i++ {
				if sameID(list[i-1], list[i]) {
					twice.Store(true)
					slices.Sort(list)
				}
			}
		}
	})
	if twice.Load() {
		kept := make([][]link, b.Users())
		for u := range kept {
			kept[u] = slices.CompactFunc(all.at(uint32(u)), sameID)
		}
		all = gather(kept)
	}
	b.userGroups = all
	b.groupUsers = turned(&all, b.Groups())
}

package intake

import (
	"fmt"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/change"
	"gatemap/core/directory"
)

// shown is how many of each kind a preview lists, and sampled how many a log
// keeps.
const (
	shown   = 1000
	sampled = 5
)

type preview struct{ answer.Preview }

// previewOf puts what an intake changes into words and numbers.
func previewOf(p *prepared, outcome *change.Summary) *preview {
	d := &p.delta
	v := &preview{answer.Preview{
		Joined: names(d.Joined, func(u *directory.User) string { return u.Name }),
		Left:   names(d.Left, func(u *directory.User) string { return u.Name }),
		Gains:  cut(outcome.Gains), Losses: cut(outcome.Losses), Changes: cut(outcome.Changes),
		Changed: []answer.RecordChange{}, Groups: []answer.GroupChange{}, Devices: []answer.RecordChange{},
		Rejected: []string{}, Renamed: p.renamed(), Alone: names(p.folder.Alone[p.directory.Name],
			func(u *directory.User) string { return u.Name }),
		Touched: outcome.Touched, Looked: outcome.Looked,
	}}
	for _, c := range cut(d.Changed) {
		v.Changed = append(v.Changed, answer.RecordChange{Name: c.After.Name, Fields: c.Fields})
	}
	group := func(what string, g *directory.Group) answer.GroupChange {
		return answer.GroupChange{Name: g.Name, What: what, Fields: []connect.Field{}, Added: []string{}, Removed: []string{}}
	}
	for _, g := range cut(d.NewGroups) {
		v.Groups = append(v.Groups, group("new", g))
	}
	for _, g := range cut(d.GoneGroups) {
		v.Groups = append(v.Groups, group("gone", g))
	}
	for _, c := range cut(d.ChangedGroups) {
		g := group("changed", c.After)
		g.Fields, g.Added, g.Removed = c.Fields, cut(c.Added), cut(c.Removed)
		v.Groups = append(v.Groups, g)
	}
	device := func(x *directory.Device, f []connect.Field) {
		v.Devices = append(v.Devices, answer.RecordChange{Name: x.Name, Fields: f})
	}
	for _, x := range cut(d.NewDevices) {
		device(x, []connect.Field{{Attribute: "name", After: x.Name}})
	}
	for _, x := range cut(d.GoneDevices) {
		device(x, []connect.Field{{Attribute: "name", Before: x.Name}})
	}
	for _, c := range cut(d.OtherDevices) {
		device(c.After, c.Fields)
	}
	for _, r := range cut(p.records.Rejected) {
		v.Rejected = append(v.Rejected, r.Error())
	}
	c := p.counts()
	c.Gains, c.Losses, c.Changes = outcome.GainCount, outcome.LossCount, outcome.ChangeCount
	v.Run.Counts = c
	return v
}

// cut is the beginning of a list, never nil.
func cut[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list[:min(len(list), shown)]
}

func names[T any](list []*T, named func(*T) string) []string {
	all := make([]string, 0, min(len(list), shown))
	for _, x := range cut(list) {
		all = append(all, named(x))
	}
	return all
}

// samples says some of what changes in words.
func (v *preview) samples() []string {
	var lines []string
	add := func(n int, line func(i int) string) {
		for i := range min(n, sampled) {
			lines = append(lines, line(i))
		}
	}
	add(len(v.Joined), func(i int) string { return v.Joined[i] + " joins" })
	add(len(v.Left), func(i int) string { return v.Left[i] + " leaves" })
	add(len(v.Changed), func(i int) string { return v.Changed[i].Name + ": " + connect.FieldWords(v.Changed[i].Fields) })
	add(len(v.Groups), func(i int) string {
		g := v.Groups[i]
		switch g.What {
		case "changed":
			return "group " + g.Name + ": " + connect.FieldWords(g.Fields)
		case "new":
			return "group " + g.Name + " is new"
		}
		return "group " + g.Name + " goes"
	})
	add(len(v.Gains), func(i int) string { return held("gains", v.Gains[i]) })
	add(len(v.Losses), func(i int) string { return held("loses", v.Losses[i]) })
	add(len(v.Rejected), func(i int) string { return "rejected: " + v.Rejected[i] })
	add(len(v.Alone), func(i int) string { return v.Alone[i] + " matches no account" })
	if lines == nil {
		return []string{}
	}
	return lines
}

func held(what string, h change.Held) string {
	return fmt.Sprintf("%s %s %s %s on %s", h.User, what, h.Entitlement.System, h.Entitlement.Right, h.Entitlement.Object)
}

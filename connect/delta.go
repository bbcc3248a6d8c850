package connect

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// Delta is what differs between what a directory held and what it is to hold.
// Lists are by name.
type Delta struct {
	Joined, Left  []*directory.User
	Changed       []Changed[directory.User]
	NewGroups     []*directory.Group
	GoneGroups    []*directory.Group
	ChangedGroups []Regrouped
	NewDevices    []*directory.Device
	GoneDevices   []*directory.Device
	OtherDevices  []Changed[directory.Device]
	// Identified are records of which nothing differs, but that the source tells their
	// identifiers now.
	Identified Records
}

// Changed is a record before and after, with what differs.
type Changed[T any] struct {
	Before, After *T
	Fields        []Field
}

// Field is one attribute that differs; an absent value is "".
type Field struct {
	Attribute string `json:"attribute"`
	Before    string `json:"before"`
	After     string `json:"after"`
}

// String says in words how the attribute changes.
func (f Field) String() string {
	switch {
	case f.Attribute == "members":
		return "members " + strings.TrimSpace(f.After+" "+f.Before)
	case f.Before == "":
		return fmt.Sprintf("%s is now %q", f.Attribute, f.After)
	case f.After == "":
		return fmt.Sprintf("%s %q is gone", f.Attribute, f.Before)
	}
	return fmt.Sprintf("%s %q becomes %q", f.Attribute, f.Before, f.After)
}

// FieldWords says in words how attributes change, but for some of them.
func FieldWords(fields []Field, but ...string) string {
	parts := make([]string, 0, len(fields))
	for _, f := range fields {
		if !slices.Contains(but, f.Attribute) {
			parts = append(parts, f.String())
		}
	}
	return strings.Join(parts, ", ")
}

// Regrouped is a group with other members or attributes.
type Regrouped struct {
	Changed[directory.Group]
	Added, Removed []string // references to members
}

func regrouped(c Changed[directory.Group]) Regrouped {
	return Regrouped{Changed: c, Added: without(c.After, c.Before), Removed: without(c.Before, c.After)}
}

// Words says what differs, with some of the members.
func (r *Regrouped) Words() string {
	words := FieldWords(r.Fields, "members")
	for _, m := range []struct {
		what string
		refs []string
	}{{"members come", r.Added}, {"members go", r.Removed}} {
		if len(m.refs) > 0 {
			words = strings.TrimPrefix(words+"; "+m.what+": "+few(m.refs), "; ")
		}
	}
	return words
}

// few is the beginning of a list of names, and how many more there are.
func few(names []string) string {
	const most = 20
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
}

// Empty says that nothing differs.
func (d *Delta) Empty() bool {
	return len(d.Joined)+len(d.Left)+len(d.Changed)+len(d.NewGroups)+len(d.GoneGroups)+len(d.ChangedGroups)+
		len(d.NewDevices)+len(d.GoneDevices)+len(d.OtherDevices) == 0
}

// Off counts the users who are active before and inactive or gone after.
func (d *Delta) Off() int {
	n := 0
	for _, u := range d.Left {
		if u.IsActive() {
			n++
		}
	}
	for _, c := range d.Changed {
		if c.Before.IsActive() && !c.After.IsActive() {
			n++
		}
	}
	return n
}

// Settle computes what differs between the records before and those that came
// in. It returns the latter in the order of the former, with the records of before
// in the place of equal ones, so that what did not change stays what it was. Of several
// records with one name the one stays that had it before.
func Settle(before, now Records) (Records, Delta) {
	now = now.after(before)
	var d Delta
	var changed []Changed[directory.Group]
	settled := Records{Rejected: now.Rejected}
	met := meeting(before, now)
	settled.Users, d.Joined, d.Left, d.Changed = users.settle(before.Users, now.Users, &d.Identified.Users, userFields)
	settled.Groups, d.NewGroups, d.GoneGroups, changed = groups.settle(
		met.groups(before.Groups),
		now.Groups,
		&d.Identified.Groups,
		groupFields,
	)
	d.Identified.Groups = append(d.Identified.Groups, met.kept(settled.Groups)...)
	settled.Devices, d.NewDevices, d.GoneDevices, d.OtherDevices = devices.settle(
		before.Devices,
		now.Devices,
		&d.Identified.Devices,
		deviceFields,
	)
	for _, c := range changed {
		d.ChangedGroups = append(d.ChangedGroups, regrouped(c))
	}
	return settled, d
}

func (o of[T]) settle(
	before, now []*T,
	identified *[]*T,
	fields func(a, b *T) []Field,
) (settled, fresh, gone []*T, changed []Changed[T]) {
	others, now := unlike(before, now)
	is := o.index(now)
	taken := make(map[*T]bool, len(now))
	settled = make([]*T, 0, len(before)+len(now))
	for _, was := range before {
		if len(others) == 0 || others[0] != was {
			settled = append(settled, was)
			continue
		}
		others = others[1:]
		x := is.as(was)
		if x == nil || taken[x] {
			gone = append(gone, was)
			continue
		}
		taken[x] = true
		if was != x {
			if f := fields(was, x); f != nil {
				changed = append(changed, Changed[T]{was, x, f})
				was = x
			} else if o.id(was) != o.id(x) {
				was = x
				*identified = append(*identified, x)
			}
		}
		settled = append(settled, was)
	}
	for _, x := range now {
		if !taken[x] {
			fresh = append(fresh, x)
		}
	}
	settled = append(settled, fresh...)
	byName := func(a, b *T) int { return strings.Compare(name.Fold(o.named(a)), name.Fold(o.named(b))) }
	slices.SortFunc(fresh, byName)
	slices.SortFunc(gone, byName)
	slices.SortFunc(changed, func(a, b Changed[T]) int { return byName(a.After, b.After) })
	return settled, fresh, gone, changed
}

// unlike are the records of two lists but for those that stand in both, in the same order.
func unlike[T any](a, b []*T) (onlyA, onlyB []*T) {
	for len(a) > 0 && len(b) > 0 {
		switch {
		case a[0] == b[0]:
		case len(a) > 1 && a[1] == b[0]:
			onlyA, a = append(onlyA, a[0]), a[1:]
		case len(b) > 1 && a[0] == b[1]:
			onlyB, b = append(onlyB, b[0]), b[1:]
		default:
			onlyA, onlyB = append(onlyA, a[0]), append(onlyB, b[0])
		}
		a, b = a[1:], b[1:]
	}
	return append(onlyA, a...), append(onlyB, b...)
}

// without lists the members of one group that another does not have.
func without(a, b *directory.Group) []string {
	if sameMembers(members(a), members(b)) {
		return nil
	}
	has := make(map[string]bool, len(members(b)))
	for _, ref := range members(b) {
		has[key(ref.Name)] = true
	}
	var names []string
	for _, ref := range members(a) {
		if k := key(ref.Name); !has[k] {
			has[k] = true
			names = append(names, ref.Name)
		}
	}
	slices.Sort(names)
	return names
}

// key makes two spellings of one reference equal.
func key(ref string) string {
	if dn, ok := name.DN(ref); ok {
		return dn
	}
	return name.Fold(ref)
}

func signed(sign string, n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf("%s%d", sign, n)
}

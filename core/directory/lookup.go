package directory

import (
	"fmt"
	"iter"
	"maps"
	"slices"
	"strings"

	"gatemap/core/filter"
	"gatemap/core/name"
)

// NotFoundError says that a name leads to nothing, or to too much.
type NotFoundError struct {
	Kind       string   // user, group, device, system, …
	Name       string   // as written
	Within     string   // the system that was looked in; empty where that goes without saying
	Near       []string // the nearest names
	Candidates []string // the full names, where a bare one is ambiguous
}

func (e *NotFoundError) Error() string {
	if len(e.Candidates) > 0 {
		return fmt.Sprintf(
			"the %s name %q is ambiguous: say which of %s is meant",
			e.Kind,
			e.Name,
			strings.Join(e.Candidates, ", "),
		)
	}
	in := ""
	if e.Within != "" {
		in = " in system " + e.Within
	}
	return fmt.Sprintf("there is no %s %q%s%s", e.Kind, e.Name, in, name.DidYouMean(e.Near))
}

// FindUser looks a user up by full name, bare name or distinguished name. home
// is the directory in which bare names are looked up; empty means all. The
// error is a *NotFoundError. FindGroup and FindDevice do the same.
func (b *Book) FindUser(written, home string) (UserID, error) {
	id, err := find(b, &b.users, written, home)
	return UserID(id), err
}

func (b *Book) FindGroup(written, home string) (GroupID, error) {
	id, err := find(b, &b.groups, written, home)
	return GroupID(id), err
}

func (b *Book) FindDevice(written, home string) (DeviceID, error) {
	id, err := find(b, &b.devices, written, home)
	return DeviceID(id), err
}

// LookUser and LookGroup are FindUser and FindGroup without the nearest names,
// which take time in proportion to all names: for where much may be missing.
func (b *Book) LookUser(written, home string) (UserID, error) {
	id, err := look(b, &b.users, written, home)
	return UserID(id), err
}

func (b *Book) LookGroup(written, home string) (GroupID, error) {
	id, err := look(b, &b.groups, written, home)
	return GroupID(id), err
}

// LookDevice is FindDevice likewise.
func (b *Book) LookDevice(written, home string) (DeviceID, error) {
	id, err := look(b, &b.devices, written, home)
	return DeviceID(id), err
}

func find[T any](b *Book, s *recordList[T], written, home string) (int, error) {
	id, err := look(b, s, written, home)
	if missing, ok := err.(*NotFoundError); ok && len(missing.Candidates) == 0 {
		missing.Near = s.near(b, written, home)
	}
	return id, err
}

func look[T any](b *Book, s *recordList[T], written, home string) (int, error) {
	hits := lookup(b, s, written, home)
	switch len(hits) {
	case 1:
		return hits[0], nil
	case 0:
		return 0, &NotFoundError{Kind: s.kind, Name: written}
	}
	var names []string
	for _, i := range hits {
		names = append(names, s.full[i])
	}
	return 0, &NotFoundError{Kind: s.kind, Name: written, Candidates: names}
}

// lookup lists what a name may mean.
func lookup[T any](b *Book, s *recordList[T], written, home string) []int {
	var short [256]byte
	at, own, quoted := name.Unquote(written)
	switch {
	case quoted && at != "":
		written = name.Full(at, own)
	case quoted:
		written = own
	}
	if strings.Contains(written, "/") && (!quoted || at != "") {
		if i, ok := s.find(name.AppendFold(short[:0], written)); ok {
			return []int{i}
		}
	}
	if hits := b.byName(written, home, s.kind); hits != nil {
		return hits
	}
	var hits []int
	for i, d := range b.directories {
		if home != "" && !name.Equal(d.Name, home) {
			continue
		}
		if i, ok := s.find(name.AppendFold(append(append(short[:0], b.folded[i]...), '/'), written)); ok {
			hits = append(hits, i)
		}
	}
	return hits
}

// near suggests names: full ones for a full name, the first part of a
// distinguished name or a bare name for bare ones.
func (s *recordList[T]) near(b *Book, written, home string) []string {
	edits := len(written)
	if len(s.full) > many {
		edits = editsAmongMany
	}
	if strings.Contains(written, "/") {
		return name.NearWithin(written, edits, s.present)
	}
	if _, ok := name.DN(written); ok {
		head, _, _ := strings.Cut(written, ",")
		_, written, _ = strings.Cut(head, "=")
		home = ""
	}
	return name.NearWithin(strings.TrimSpace(written), edits, s.bare(b, home))
}

// Among many names only those are suggested that differ in a few letters.
const (
	many           = 2000
	editsAmongMany = 3
)

// present yields the full names of what is there.
func (s *recordList[T]) present(yield func(string) bool) {
	s.all(func(n uint32) bool { return yield(s.full[n]) })
}

func (s *recordList[T]) bare(b *Book, home string) iter.Seq[string] {
	return func(yield func(string) bool) {
		for n := range s.all {
			d := b.directories[s.home[n]].Name
			if (home == "" || name.Equal(home, d)) && !yield(s.full[n][len(d)+1:]) {
				return
			}
		}
	}
}

// UserNames, GroupNames and DeviceNames yield the full names.
func (b *Book) UserNames() iter.Seq[string]   { return b.users.present }
func (b *Book) GroupNames() iter.Seq[string]  { return b.groups.present }
func (b *Book) DeviceNames() iter.Seq[string] { return b.devices.present }

// GroupsFrom yields the groups whose names, without the directory, begin with a
// text, in any case, and these names.
func (b *Book) GroupsFrom(start string) iter.Seq2[GroupID, string] {
	return func(yield func(GroupID, string) bool) {
		if start == "" || b.groups.late != nil {
			for g := range b.AllGroups {
				own := b.groups.records[g].Name
				if len(own) >= len(start) && strings.EqualFold(own[:len(start)], start) && !yield(g, own) {
					return
				}
			}
			return
		}
		for i, d := range b.folded {
			begin := d + "/" + name.Fold(start)
			for g, end := b.firstGroup(begin), b.firstGroup(begin+"\xff"); g < end; g++ {
				if !yield(g, b.groups.full[g][len(b.directories[i].Name)+1:]) {
					return
				}
			}
		}
	}
}

// firstGroup is the first group whose folded full name is not less than a text.
func (b *Book) firstGroup(folded string) GroupID {
	var short [256]byte
	g, _ := slices.BinarySearchFunc(b.groups.full, folded, func(full, folded string) int {
		return strings.Compare(string(name.AppendFold(short[:0], full)), folded)
	})
	return GroupID(g)
}

// HasAttribute says whether any user has a value for the attribute, or for one
// of its sub-attributes.
func (b *Book) HasAttribute(written string) bool {
	folded := name.Fold(written)
	if b.attributes[folded] > 0 {
		return true
	}
	head, _, dotted := strings.Cut(folded, ".")
	return dotted && b.attributes[head] > 0
}

// AttributeNames yields the attributes that users have, as sources spell them.
func (b *Book) AttributeNames() iter.Seq[string] {
	return func(yield func(string) bool) {
		for u := range b.AllUsers {
			for _, a := range b.User(u).Attributes {
				if !yield(a.Name) {
					return
				}
			}
		}
	}
}

// AttributeUse is an attribute with how many users have it, and the first who does.
type AttributeUse struct {
	Name  string // as the first spells it
	Users int
	First UserID
}

// AttributeUses lists the attributes that users have beside those of every record, by folded
// name.
func (b *Book) AttributeUses() (list []AttributeUse) {
	users := maps.Clone(b.attributes)
	for _, own := range []string{"USERNAME", "ACTIVE", "EXPIRES"} {
		delete(users, own)
	}
	for folded, n := range b.attributes {
		if head, _, dotted := strings.Cut(folded, "."); dotted {
			users[head] -= n // who has a sub-attribute is counted for what stands before the dot, too
		}
	}
	left := map[string]int{} // where in the list those are of which nobody is known yet
	for _, folded := range slices.Sorted(maps.Keys(users)) {
		if users[folded] > 0 {
			left[folded] = len(list)
			list = append(list, AttributeUse{Users: users[folded]})
		}
	}
	for u := range b.AllUsers {
		if len(left) == 0 {
			break
		}
		for _, a := range b.User(u).Attributes {
			if at, is := left[a.folded]; is {
				list[at].Name, list[at].First = a.Name, u
				delete(left, a.folded)
			}
		}
	}
	return list
}

// Values are the values of a user's attribute, by its folded name; also of those
// that are fields of their own, such as userName.
func (b *Book) Values(id UserID, folded string) []filter.Value {
	return record{b.users.records[id], b.exact[b.users.home[id]]}.Values(folded)
}

// Lacks says whether a user has no value for an attribute, by its folded name.
func (b *Book) Lacks(id UserID, folded string) bool {
	return !valued(b.Values(id, folded))
}

func valued(values []filter.Value) bool {
	return slices.ContainsFunc(values, func(v filter.Value) bool { return v.Text != "" || v.Sub != nil })
}

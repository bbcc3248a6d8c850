package change

import (
	"maps"
	"reflect"
	"slices"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// amended is a book with the records that differ between two maps; ok is false
// where it must be rebuilt.
func amended(b *directory.Book, was, is *atlas.Map) (book *directory.Book, ok bool) {
	if len(was.Directories) != len(is.Directories) {
		return nil, false
	}
	e := directory.Edit{Users: map[directory.UserID]*directory.User{}, Groups: map[directory.GroupID]*directory.Group{}}
	for i, now := range is.Directories {
		old := was.Directories[i]
		if old.Name != now.Name || !slices.Equal(old.Exact, now.Exact) || !reflect.DeepEqual(old.SamePerson, now.SamePerson) {
			return nil, false
		}
		if !slices.Equal(old.Devices, now.Devices) && !reflect.DeepEqual(old.Devices, now.Devices) {
			return nil, false
		}
		userName, groupName := func(u *directory.User) string { return u.Name }, func(g *directory.Group) string {
			return g.Name
		}
		users, groups := apart(old.Users, now.Users, userName), apart(old.Groups, now.Groups, groupName)
		if users.twice || groups.twice {
			return nil, false
		}
		renamed, known := renames(b, old.Name, &groups)
		if !known {
			return nil, false
		}
		maps.Copy(e.Groups, renamed)
		e.Join, e.Come = append(e.Join, coming(i, users.come)...), append(e.Come, coming(i, groups.come)...)
		left, known := numbers(old.Name, users.others, users.gone, userName, b.LookUser, e.Users)
		went, grouped := numbers(old.Name, groups.others, groups.gone, groupName, b.LookGroup, e.Groups)
		if !known || !grouped {
			return nil, false
		}
		e.Leave, e.Go = append(e.Leave, left...), append(e.Go, went...)
	}
	if e.Empty() {
		return b, true
	}
	return b.With(e)
}

// renames takes those groups out of those that come and go that are the same by other names:
// they have the same identifier, or all else in common.
func renames(
	b *directory.Book,
	home string,
	groups *records[directory.Group],
) (renamed map[directory.GroupID]*directory.Group, ok bool) {
	renamed = map[directory.GroupID]*directory.Group{}
	for _, was := range slices.Clone(groups.gone) {
		i := slices.IndexFunc(groups.come, func(is *directory.Group) bool {
			return was.DN == is.DN && was.ID == is.ID && (was.ID != "" || sameMembers(was, is))
		})
		if i < 0 {
			continue
		}
		id, err := b.LookGroup(home+"/"+was.Name, "")
		if err != nil {
			return nil, false
		}
		renamed[id] = groups.come[i]
		groups.come = slices.Delete(groups.come, i, i+1)
		groups.gone = slices.DeleteFunc(groups.gone, func(g *directory.Group) bool { return g == was })
	}
	return renamed, true
}

// sameMembers says whether two records of a group make the same people its members.
func sameMembers(a, b *directory.Group) bool {
	if a.Rule != nil && b.Rule != nil {
		return a.Rule.Text == b.Rule.Text
	}
	if a.Rule != nil || b.Rule != nil || a.Members == nil || b.Members == nil {
		return a.Rule == b.Rule && a.Members == b.Members
	}
	same := func(a, b []name.Ref) bool {
		return slices.EqualFunc(a, b, func(x, y name.Ref) bool { return x.Name == y.Name })
	}
	return same(a.Members.Users, b.Members.Users) && same(a.Members.Groups, b.Members.Groups) &&
		same(a.Members.Devices, b.Members.Devices) && same(a.Members.Any, b.Members.Any)
}

// coming are the records that come into a directory.
func coming[T any](home int, records []*T) (list []directory.Coming[T]) {
	for _, r := range records {
		list = append(list, directory.Coming[T]{Home: home, Record: r})
	}
	return list
}

// numbers puts the records of a directory that are others by their numbers, and lists the
// numbers of those that go; ok is false where one of them is not in the book.
func numbers[T any, ID comparable](
	home string,
	others, gone []*T,
	named func(*T) string,
	look func(written, home string) (ID, error),
	by map[ID]*T,
) (went []ID, ok bool) {
	for _, r := range others {
		id, err := look(home+"/"+named(r), "")
		if err != nil {
			return nil, false
		}
		by[id] = r
	}
	for _, r := range gone {
		id, err := look(home+"/"+named(r), "")
		if err != nil {
			return nil, false
		}
		went = append(went, id)
	}
	return went, true
}

// records are those of a list that are not those of another: others of the same
// names, and those that come and go. twice says that a name is there twice.
type records[T any] struct {
	others, come, gone []*T
	twice              bool
}

// sameNames says whether records that stand in the same places have the same names.
func sameNames[T any](was, is []*T, named func(*T) string) bool {
	for i, r := range is {
		if was[i] != r && !name.Equal(named(was[i]), named(r)) {
			return false
		}
	}
	return true
}

// apart compares the records of two lists.
func apart[T any](was, is []*T, named func(*T) string) (d records[T]) {
	for len(was) > 0 && len(is) > 0 && was[0] == is[0] {
		was, is = was[1:], is[1:]
	}
	for len(was) > 0 && len(is) > 0 && was[len(was)-1] == is[len(is)-1] {
		was, is = was[:len(was)-1], is[:len(is)-1]
	}
	if len(was) == len(is) && sameNames(was, is, named) {
		for i, r := range is {
			if was[i] != r {
				d.others = append(d.others, r)
			}
		}
		return d
	}
	old := make(map[string]*T, len(was))
	for _, r := range was {
		old[name.Fold(named(r))] = r
	}
	d.twice = len(old) < len(was)
	seen := make(map[string]bool, len(is))
	for _, r := range is {
		folded := name.Fold(named(r))
		d.twice = d.twice || seen[folded]
		seen[folded] = true
		before, known := old[folded]
		switch {
		case !known:
			d.come = append(d.come, r)
		case before != r:
			d.others = append(d.others, r)
		}
		delete(old, folded)
	}
	for _, r := range was {
		if old[name.Fold(named(r))] == r {
			d.gone = append(d.gone, r)
		}
	}
	return d
}

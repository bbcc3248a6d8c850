package directory

import (
	"slices"

	"gatemap/core/name"
)

// Accounts lists the accounts of the person whose account a user is, in order:
// the user, and all that joins of directories tie to it (docs/model.md section 3).
func (b *Book) Accounts(id UserID) []UserID {
	if all := b.persons().of[id]; all != nil {
		return all
	}
	return []UserID{id}
}

// Persons yields the accounts of each person who has several.
func (b *Book) Persons(yield func([]UserID) bool) {
	for _, all := range b.persons().list {
		if !yield(all) {
			return
		}
	}
}

// persons are those who have several accounts.
type persons struct {
	of   map[UserID][]UserID
	list [][]UserID // by the first account
}

type personsKey struct{}

func (b *Book) persons() *persons {
	return b.once(personsKey{}, func() any { return b.findPersons() }).(*persons)
}

func (b *Book) findPersons() *persons {
	p := &persons{of: map[UserID][]UserID{}}
	same := map[UserID]UserID{} // an account that is the same person's, the smallest at last
	var first func(UserID) UserID
	first = func(u UserID) UserID {
		if other, ok := same[u]; ok && other != u {
			same[u] = first(other)
			return same[u]
		}
		return u
	}
	for home, d := range b.directories {
		if d.SamePerson == nil {
			continue
		}
		with := slices.IndexFunc(b.directories, func(x *Document) bool {
			return name.Equal(x.Name, d.SamePerson.Directory.Name)
		})
		if with < 0 {
			continue
		}
		by := name.Fold(d.SamePerson.By)
		known := map[string]UserID{}
		for id := range b.AllUsers {
			if at := b.HomeOf(id); at != home && at != with {
				continue
			}
			v := b.joining(id, by)
			if v == "" {
				continue
			}
			if other, ok := known[v]; ok {
				x, y := first(other), first(id)
				same[max(x, y)] = min(x, y)
			} else {
				known[v] = id
			}
		}
	}
	if len(same) > 0 {
		p.list = b.together(same, first)
	}
	for _, all := range p.list {
		for _, id := range all {
			p.of[id] = all
		}
	}
	return p
}

// together lists the accounts of each person who has several; first is the account that stands for all.
func (b *Book) together(same map[UserID]UserID, first func(UserID) UserID) (list [][]UserID) {
	several := map[UserID][]UserID{} // by the account that stands for all
	for id := range same {
		several[first(id)] = nil
	}
	for id := range b.AllUsers {
		if all, tied := several[first(id)]; tied {
			several[first(id)] = append(all, id)
		}
	}
	for id := range b.AllUsers {
		if all := several[first(id)]; len(all) > 0 && all[0] == id {
			list = append(list, all)
		}
	}
	return list
}

// joining is the value by which an account is joined: the first of the attribute.
func (b *Book) joining(id UserID, by string) string {
	if by == "USERNAME" {
		return name.Fold(b.User(id).Name)
	}
	return name.Fold(b.User(id).Attributes.First(by))
}

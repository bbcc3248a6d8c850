package reading

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// tying ties names there to records.
type tying[ID comparable] struct {
	there   []string
	unclear map[string][]string
	home    string // the directory that the system belongs to; "": none
	full    func(ID) string
	homeOf  func(ID) string

	exact, folded map[string][]ID // by the name as it would be written
	wanted        map[string]bool // the folded names there
	taken         map[ID]bool     // those who are tied by an identifier
}

func (t *tying[ID]) add(id ID, write name.Pattern, value func(string) string) {
	if t.wanted == nil {
		t.exact, t.folded, t.wanted = map[string][]ID{}, map[string][]ID{}, map[string]bool{}
		for _, named := range t.there {
			t.wanted[name.Fold(named)] = true
		}
	}
	written, _ := write.Write(value)
	if written == "" {
		return
	}
	folded := name.Fold(written)
	if t.wanted[folded] {
		t.exact[written] = append(t.exact[written], id)
		t.folded[folded] = append(t.folded[folded], id)
	}
}

// tied gives for each name there the one record that is written so: in the case that it has
// there, else in any. Records of the system's own directory go before others.
func (t *tying[ID]) tied() map[string]ID {
	all := map[string]ID{}
	alike := map[string]int{}
	for _, named := range t.there {
		alike[name.Fold(named)]++
	}
	for _, named := range t.there {
		list := t.exact[named]
		if folded := name.Fold(named); len(list) == 0 && alike[folded] == 1 {
			list = t.folded[folded]
		}
		if id, is := t.one(named, list); is && !t.taken[id] {
			all[named] = id
		}
	}
	return all
}

// one is the only record that a name there can mean: those of the system's own directory go before
// others. Where several are left it is unclear.
func (t *tying[ID]) one(named string, list []ID) (id ID, is bool) {
	own := slices.DeleteFunc(slices.Clone(list), func(id ID) bool { return !name.Equal(t.homeOf(id), t.home) })
	if len(own) > 0 {
		list = own
	}
	if len(list) == 1 {
		return list[0], true
	}
	for _, id := range list {
		t.unclear[named] = append(t.unclear[named], t.full(id))
	}
	slices.Sort(t.unclear[named])
	return id, false
}

// identified ties the accounts of which the system was told whose they are: by the identifier of the
// record, whatever they are called. Names are left for the others. An identifier that several accounts
// have says nothing.
func (t *tying[ID]) identified(r *Reading, of map[string][]ID) map[string]ID {
	all, alike := map[string]ID{}, map[string]int{}
	t.taken = map[ID]bool{}
	for _, a := range r.Accounts {
		alike[a.Of]++
	}
	for _, a := range r.Accounts {
		if a.Of == "" || alike[a.Of] > 1 || len(of[a.Of]) == 0 || !slices.Contains(t.there, a.Name) {
			continue
		}
		if id, is := t.one(a.Name, of[a.Of]); is {
			all[a.Name], t.taken[id] = id, true
		}
	}
	t.there = slices.DeleteFunc(slices.Clone(t.there), func(named string) bool {
		_, tied := all[named]
		return tied || len(t.unclear[named]) > 0
	})
	return all
}

// usersBy are the users of whom a reading tells identifiers, by these.
func usersBy(r *Reading, book *directory.Book) map[string][]directory.UserID {
	of := map[string][]directory.UserID{}
	for _, a := range r.Accounts {
		if a.Of != "" {
			of[a.Of] = nil
		}
	}
	if len(of) == 0 {
		return of
	}
	for u := range book.AllUsers {
		if id := book.User(u).ID; id != "" {
			if list, asked := of[id]; asked {
				of[id] = append(list, u)
			}
		}
	}
	return of
}

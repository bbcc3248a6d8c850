package reading

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/rule"
)

// namings are the words that a user may go by on one side.
type namings struct {
	everyone []naming
	groups   map[directory.GroupID][]naming
	users    map[directory.UserID][]naming
}

// naming is a word, but for those who are excepted.
type naming struct {
	word   uint32
	except directory.Party
}

// whole says that nobody is excepted.
func (n naming) whole() bool { return len(n.except.Users)+len(n.except.Groups) == 0 }

// namedBy is what a rule says of each that it names.
func (d *Drift) namedBy(
	r *rule.Rule, words numbered, book *directory.Book, group func(directory.GroupID) string, names *namings,
) (list []grant) {
	if r.Nobody() {
		return nil
	}
	var conditions, except []string
	for _, n := range r.When.Needed() {
		conditions = append(conditions, string(n))
	}
	for _, g := range r.Except.Groups {
		except = append(except, "\n"+group(g))
	}
	for _, u := range r.Except.Users {
		except = append(except, "\n"+book.UserName(u))
	}
	slices.Sort(conditions)
	slices.Sort(except)
	but, when := strings.Join(except, ""), words.of(strings.Join(conditions, " "))
	add := func(known []naming, called func() string) []naming {
		at := -1
		if but == "" {
			at = slices.IndexFunc(known, naming.whole)
		}
		if at < 0 {
			n := naming{words.of(called() + but), r.Except}
			if at = slices.IndexFunc(known, func(x naming) bool { return x.word == n.word }); at < 0 {
				at, known = len(known), append(known, n)
			}
		}
		list = append(list, grant{known[at].word, r.Effect == rule.Taking, when, r.Number()})
		return known
	}
	if r.Everyone {
		names.everyone = add(names.everyone, func() string { return everyone })
		return list
	}
	list = make([]grant, 0, len(r.Groups)+len(r.Users))
	for _, g := range r.Groups {
		before := names.groups[g]
		if is := add(before, func() string { return group(g) }); len(is) > len(before) {
			names.groups[g] = is
		}
	}
	for _, u := range r.Users {
		full := book.UserName(u)
		if d.ignored[full] {
			continue
		}
		before := names.users[u]
		if is := add(before, func() string { return full }); len(is) > len(before) {
			names.users[u] = is
		}
	}
	return list
}

// of adds the words that a subject goes by, in order.
func (n *namings) of(s *directory.Subject, words []uint32) []uint32 {
	add := func(list []naming) {
		for i := range list {
			x := &list[i].except
			if !slices.Contains(x.Users, s.ID) && !slices.ContainsFunc(x.Groups, s.In) {
				words = append(words, list[i].word)
			}
		}
	}
	add(n.everyone)
	add(n.users[s.ID])
	for _, g := range s.Groups() {
		add(n.groups[g])
	}
	slices.Sort(words)
	return slices.Compact(words)
}

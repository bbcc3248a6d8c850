package directory_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
	"gatemap/core/place"
)

// told is all that a book says of who is in which group, by names.
type told struct {
	Users   []string
	Groups  []string
	Persons [][]string
	Guests  []string
	Among   []string
	Kinds   map[string][]string // by title: who has it
	Of      map[string][]string // by user: the groups with their paths
	Members map[string][]string
	Holders map[string][]string
	Manage  map[string][]string
	Near    []string
}

func tell(b *directory.Book) told {
	t := told{
		Of:      map[string][]string{},
		Members: map[string][]string{},
		Holders: map[string][]string{},
		Manage:  map[string][]string{},
		Kinds:   map[string][]string{},
	}
	people := func(list []directory.UserID) (all []string) {
		for _, u := range list {
			all = append(all, b.UserName(u))
		}
		return all
	}
	names := func(list []directory.GroupID) (all []string) {
		for _, g := range b.InOrder(list) {
			all = append(all, b.GroupName(g))
		}
		return all
	}
	path := func(steps []directory.Step) (text string) {
		for _, s := range steps {
			text += fmt.Sprintf(" %s by %s", b.GroupName(s.Group), s.How)
		}
		return text
	}
	for all := range b.Persons {
		t.Persons = append(t.Persons, people(all))
	}
	guests, err := filter.Parse(`title eq "Guest" or not (title pr)`)
	if err != nil {
		panic(err)
	}
	t.Guests = people(slices.Collect(b.Matching(guests, "")))
	t.Among = people(b.Among(slices.Collect(b.AllGroups), nil))
	kinds := b.Kinds([]string{"TITLE"})
	for kind := range kinds.Count() {
		all := b.UsersInOrder(kinds.Users(kind))
		title := b.User(all[0]).Attributes.First("title")
		t.Kinds[b.UserHome(all[0])+" "+title] = people(all)
	}
	for u := range b.AllUsers {
		s := b.Subject(u)
		t.Users = append(t.Users, b.UserName(u)+" "+b.Texts().Users[u]+fmt.Sprint(b.Bounded(u), b.Accounts(u)[0] == u))
		for _, g := range b.InOrder(s.Groups()) {
			t.Of[b.UserName(u)] = append(t.Of[b.UserName(u)], b.GroupName(g)+" as "+string(s.How(g))+":"+path(s.Path(g)))
		}
	}
	for g := range b.AllGroups {
		full := b.GroupName(g)
		t.Groups = append(t.Groups, full+" "+b.Texts().Groups[g])
		for _, m := range b.Members(g) {
			t.Members[full] = append(t.Members[full], b.UserName(m.User)+path(m.Path))
		}
		t.Members[full] = append(t.Members[full], people(append(b.DirectMembers(g), b.ListedUsers(g)...))...)
		t.Holders[full] = names(b.Holders(g))
		t.Manage[full] = append(names(b.Managers(g).Groups), people(b.Managers(g).Users)...)
	}
	_, err = b.FindGroup("d/gg", "")
	t.Near = err.(*directory.NotFoundError).Near
	_, err = b.FindUser("uu", "")
	t.Near = append(t.Near, err.(*directory.NotFoundError).Near...)
	for g := range b.GroupsFrom("g1") {
		t.Near = append(t.Near, b.GroupName(g))
	}
	return t
}

// comer draws a group with members, some of whom may not be there.
func comer(t *rapid.T, n string) *directory.Group {
	g := &directory.Group{Name: n}
	switch rapid.IntRange(0, 3).Draw(t, "dn") {
	case 0:
		g.DN = "cn=" + n + ",ou=groups,dc=cindervale,dc=example"
	case 1:
		g.DN = "cn=Otherwise called,ou=" + n + ",dc=cindervale,dc=example"
	}
	if rapid.IntRange(0, 4).Draw(t, "rule") == 0 {
		g.Rule = &directory.Rule{}
		require.NoError(t, g.Rule.UnmarshalText([]byte(`title ne "Cook"`)))
		return g
	}
	shape(t, g)
	people(t, g)
	for _, other := range []string{"g7", "e/g8", "cn=g9,ou=groups,dc=cindervale,dc=example", "CN=otherwise Called, ou=g8,dc=cindervale,dc=example"} {
		if rapid.IntRange(0, 3).Draw(t, "names one that may come") == 0 {
			g.Members.Groups = append(g.Members.Groups, name.Ref{Name: other})
		}
	}
	for _, other := range []string{"u5", "e/u6", "cn=u6,ou=people,dc=cindervale,dc=example", "CN=u0, ou=people,dc=cindervale,dc=example", "g8"} {
		if rapid.IntRange(0, 3).Draw(t, "names someone who may come") == 0 {
			g.Members.Any = append(g.Members.Any, name.Ref{Name: other})
		}
	}
	if rapid.IntRange(0, 2).Draw(t, "managed") == 0 {
		g.Managers = &directory.People{
			Groups: []name.Ref{{Name: rapid.SampledFrom([]string{"g0", "g7", "g9"}).Draw(t, "manager")}},
			Users:  []name.Ref{{Name: rapid.SampledFrom([]string{"u0", "u5"}).Draw(t, "user who manages")}},
		}
	}
	return g
}

// joiner draws a user.
func joiner(t *rapid.T, n string) *directory.User {
	u := user(n, "title", rapid.SampledFrom(titles).Draw(t, "title"))
	if rapid.IntRange(0, 3).Draw(t, "number") == 0 {
		number := rapid.SampledFrom([]string{"1", "2"}).Draw(t, "of the person")
		if err := u.Attributes.Set("employeeNumber", number); err != nil {
			t.Fatal(err)
		}
	}
	if rapid.Bool().Draw(t, "dn") {
		u.DN = "cn=" + n + rapid.SampledFrom([]string{",ou=people", ""}).Draw(t, "branch") + ",dc=cindervale,dc=example"
	}
	if rapid.IntRange(0, 5).Draw(t, "primary") == 0 {
		u.PrimaryGroup = name.Ref{Name: rapid.SampledFrom([]string{"g1", "d/g3"}).Draw(t, "primary group")}
	}
	if rapid.IntRange(0, 3).Draw(t, "off") == 0 {
		off := false
		u.Active = &off
	}
	return u
}

// Users and groups that come and go, one edit after the other: the book says what one says
// that is rebuilt, its findings too.
func TestUsersAndGroupsComeAndGo(t *testing.T) {
	tried, edits, renamed := 0, 0, 0
	rapid.Check(t, func(t *rapid.T) {
		var docs []*directory.Document
		for _, d := range []string{"d", "e"} {
			doc := &directory.Document{Name: d}
			if rapid.Bool().Draw(t, "source without bases") {
				doc.Source = &directory.Source{}
			}
			if d == "e" {
				doc.SamePerson = &directory.SamePerson{Directory: name.Ref{Name: "d"}, By: "employeeNumber"}
			}
			for i := range 3 {
				doc.Users = append(doc.Users, joiner(t, fmt.Sprintf("u%d", i)))
			}
			for i := range 4 {
				doc.Groups = append(doc.Groups, comer(t, fmt.Sprintf("g%d", i)))
			}
			docs = append(docs, doc)
		}
		var errs place.Errors
		b := directory.Build(docs, &errs)
		if errs.Err() != nil {
			return // two with one distinguished name
		}
		b.Texts()
		for range rapid.IntRange(1, 3).Draw(t, "edits") {
			edit := directory.Edit{
				Users:  map[directory.UserID]*directory.User{},
				Groups: map[directory.GroupID]*directory.Group{},
			}
			moving := rapid.IntRange(0, 2).Draw(t, "users, groups or both")
			var after []*directory.Document
			for home, doc := range docs {
				now := *doc
				comeAndGo(t, b, &edit, home, &now, moving)
				if moving == 0 {
					after = append(after, &now)
					continue
				}
				now.Groups = nil
				for _, g := range doc.Groups {
					id, err := b.FindGroup(doc.Name+"/"+g.Name, "")
					require.NoError(t, err)
					switch rapid.IntRange(0, 7).Draw(t, "what becomes of it") {
					case 0:
						edit.Go = append(edit.Go, id)
						continue
					case 1:
						other := comer(t, g.Name)
						other.DN = g.DN
						edit.Groups[id], g = other, other
					case 2, 3:
						n := fmt.Sprintf("g%d", rapid.IntRange(0, 9).Draw(t, "other name"))
						taken := func(x *directory.Group) bool { return x.Name == n }
						if slices.ContainsFunc(doc.Groups, taken) || slices.ContainsFunc(now.Groups, taken) {
							break
						}
						other := *g
						other.Name = n
						edit.Groups[id], g = &other, &other
						renamed++
					}
					now.Groups = append(now.Groups, g)
				}
				for i := range 10 {
					n := fmt.Sprintf("g%d", i)
					taken := func(g *directory.Group) bool { return g.Name == n }
					if slices.ContainsFunc(doc.Groups, taken) || slices.ContainsFunc(now.Groups, taken) ||
						rapid.IntRange(0, 5).Draw(t, "comes") > 0 {
						continue
					}
					g := comer(t, n)
					edit.Come = append(edit.Come, directory.Coming[directory.Group]{Home: home, Record: g})
					now.Groups = append(now.Groups, g)
				}
				after = append(after, &now)
			}
			var errs place.Errors
			again := directory.Build(after, &errs)
			edited, ok := b.With(edit)
			if errs.Err() != nil {
				require.False(t, ok, "what cannot be built is not edited either")
				return
			}
			tried++
			if !ok {
				b, docs = again, after // a circle, or a primary group
				b.Texts()
				continue
			}
			edits++
			require.Equal(t, tell(again), tell(edited))
			require.ElementsMatch(t, again.Findings(), edited.Findings())
			require.Equal(t, again.GroupCount(), edited.GroupCount())
			require.Equal(t, again.UserCount(), edited.UserCount())
			b, docs = edited, after
		}
	})
	t.Log(edits, "of", tried, "edits are made without building again;", renamed, "other names")
	require.Greater(t, 10*edits, tried, "many edits are made without building again")
}

// comeAndGo lets users of a directory join, leave, and have other records.
func comeAndGo(t *rapid.T, b *directory.Book, edit *directory.Edit, home int, doc *directory.Document, moving int) {
	if moving == 1 {
		return
	}
	var users []*directory.User
	for _, u := range doc.Users {
		id, err := b.FindUser(doc.Name+"/"+u.Name, "")
		require.NoError(t, err)
		switch rapid.IntRange(0, 5).Draw(t, "what becomes of her") {
		case 0:
			edit.Leave = append(edit.Leave, id)
			continue
		case 1:
			other := joiner(t, u.Name)
			other.DN, other.PrimaryGroup = u.DN, u.PrimaryGroup
			edit.Users[id], u = other, other
		}
		users = append(users, u)
	}
	for i := range 7 {
		n := fmt.Sprintf("u%d", i)
		if slices.ContainsFunc(doc.Users, func(u *directory.User) bool { return u.Name == n }) ||
			rapid.IntRange(0, 3).Draw(t, "joins") > 0 {
			continue
		}
		u := joiner(t, n)
		edit.Join = append(edit.Join, directory.Coming[directory.User]{Home: home, Record: u})
		users = append(users, u)
	}
	doc.Users = users
}

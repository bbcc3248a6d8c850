package directory_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// told is all that a book says of who is in which group, by names.
type told struct {
	Groups  []string
	Of      map[string][]string // by user: the groups with their paths
	Members map[string][]string
	Holders map[string][]string
	Manage  map[string][]string
	Near    []string
}

func tell(b *directory.Book) told {
	t := told{Of: map[string][]string{}, Members: map[string][]string{}, Holders: map[string][]string{}, Manage: map[string][]string{}}
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
	for u := range directory.UserID(b.Users()) {
		s := b.Subject(u)
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
		t.Holders[full] = names(b.Holders(g))
		t.Manage[full] = names(b.Managers(g).Groups)
	}
	_, err := b.FindGroup("d/gg", "")
	t.Near = err.(*directory.NotFoundError).Near
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
	if rapid.IntRange(0, 2).Draw(t, "managed") == 0 {
		g.Managers = &directory.People{Groups: []name.Ref{{Name: rapid.SampledFrom([]string{"g0", "g7", "g9"}).Draw(t, "manager")}}}
	}
	return g
}

// Groups that come and go, one edit after the other: the book says what one says that
// is rebuilt, its findings too.
func TestGroupsComeAndGo(t *testing.T) {
	tried, edits := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		var docs []*directory.Document
		for _, d := range []string{"d", "e"} {
			doc := &directory.Document{Name: d}
			for i := range 3 {
				doc.Users = append(doc.Users, user(fmt.Sprintf("u%d", i), "title", rapid.SampledFrom(titles).Draw(t, "title")))
			}
			if rapid.IntRange(0, 3).Draw(t, "primary") == 0 {
				doc.Users[0].PrimaryGroup = name.Ref{Name: "g3"}
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
			edit := directory.Edit{Groups: map[directory.GroupID]*directory.Group{}}
			var after []*directory.Document
			for home, doc := range docs {
				now := *doc
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
					}
					now.Groups = append(now.Groups, g)
				}
				for i := range 10 {
					n := fmt.Sprintf("g%d", i)
					if slices.ContainsFunc(doc.Groups, func(g *directory.Group) bool { return g.Name == n }) || rapid.IntRange(0, 5).Draw(t, "comes") > 0 {
						continue
					}
					g := comer(t, n)
					edit.Come = append(edit.Come, directory.Coming{Home: home, Group: g})
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
			b, docs = edited, after
		}
	})
	require.Greater(t, 10*edits, tried, "many edits are made without building again")
}

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

// shape gives a group a kind and a reach.
func shape(t *rapid.T, g *directory.Group) {
	g.Kind = rapid.SampledFrom([]directory.Kind{"", "", "mail"}).Draw(t, "kind")
	g.MembersFrom = rapid.SampledFrom([]directory.MembersFrom{"", "own"}).Draw(t, "members_from")
	g.UsableIn = rapid.SampledFrom([]directory.UsableIn{"", "own", "host"}).Draw(t, "usable_in")
	if g.Host = ""; g.UsableIn == "host" {
		g.Host = "s"
	}
}

// people gives a group members of two directories.
func people(t *rapid.T, g *directory.Group) {
	g.Members = &directory.Members{}
	for _, d := range []string{"d", "e"} {
		for i := range 3 {
			if rapid.IntRange(0, 2).Draw(t, "member") == 0 {
				g.Members.Users = append(g.Members.Users, name.Ref{Name: fmt.Sprintf("%s/u%d", d, i)})
			}
		}
		for i := range 5 {
			if rapid.IntRange(0, 4).Draw(t, "holds") == 0 {
				g.Members.Groups = append(g.Members.Groups, name.Ref{Name: fmt.Sprintf("%s/g%d", d, i)})
			}
		}
	}
}

// Groups of another kind, of another reach, and that hold other groups: a book with such
// an edit is the book that is rebuilt, its findings too.
func TestAReshapedBookIsTheOneBuiltAnew(t *testing.T) {
	edits := 0
	rapid.Check(t, func(t *rapid.T) {
		var docs, after []*directory.Document
		for _, d := range []string{"d", "e"} {
			doc := &directory.Document{Name: d}
			for i := range 3 {
				u := user(fmt.Sprintf("u%d", i), "title", rapid.SampledFrom(titles).Draw(t, "title"))
				if rapid.IntRange(0, 5).Draw(t, "primary") == 0 {
					u.PrimaryGroup = name.Ref{Name: "d/g0"}
				}
				doc.Users = append(doc.Users, u)
			}
			for i := range 5 {
				g := &directory.Group{Name: fmt.Sprintf("g%d", i)}
				shape(t, g)
				if i == 4 {
					g.Rule = &directory.Rule{}
					require.NoError(t, g.Rule.UnmarshalText([]byte(`title ne "Cook"`)))
				} else {
					people(t, g)
				}
				doc.Groups = append(doc.Groups, g)
			}
			docs = append(docs, doc)
			after = append(after, &directory.Document{Name: d, Users: doc.Users, Groups: slices.Clone(doc.Groups)})
		}
		b := build(t, docs...)
		edit := directory.Edit{Groups: map[directory.GroupID]*directory.Group{}}
		for _, doc := range after {
			for i, g := range doc.Groups {
				if rapid.IntRange(0, 4).Draw(t, "stays") > 0 {
					continue
				}
				now := *g
				if rapid.Bool().Draw(t, "reshaped") {
					shape(t, &now)
				}
				if g.Rule == nil && rapid.Bool().Draw(t, "holds others") {
					people(t, &now)
				}
				id, err := b.FindGroup(doc.Name+"/"+g.Name, "")
				require.NoError(t, err)
				doc.Groups[i], edit.Groups[id] = &now, &now
			}
		}
		edited, ok := b.With(edit)
		if !ok {
			return // groups that hold each other, or a primary group
		}
		edits++
		var errs place.Errors
		again := directory.Build(after, &errs)
		require.NoError(t, errs.Err())
		require.ElementsMatch(t, again.Findings(), edited.Findings())
		_, touched := edited.Base()
		for u := range directory.UserID(again.Users()) {
			want, got := again.Subject(u), edited.Subject(u)
			require.True(
				t,
				slices.Equal(want.Groups(), got.Groups()),
				"%s: %v, again %v",
				again.UserName(u),
				got.Groups(),
				want.Groups(),
			)
			for _, g := range want.Groups() {
				require.Equal(t, want.Path(g), got.Path(g))
				if slices.Contains(edited.Reshaped(), g) {
					require.Contains(t, touched, u, "who is in a group that may count otherwise is looked at")
				}
			}
			if !slices.Equal(want.Groups(), b.Subject(u).Groups()) {
				require.Contains(t, touched, u)
			}
		}
		for g := range directory.GroupID(again.Groups()) {
			require.Equal(t, again.Members(g), edited.Members(g), again.GroupName(g))
			require.True(t, slices.Equal(again.Held(g), edited.Held(g)))
			require.ElementsMatch(t, again.Holders(g), edited.Holders(g))
		}
	})
	require.Positive(t, edits, "some edits are computed without building again")
	t.Log(edits, "edits")
}

// A rule that is tried matches those of one directory, or of all, inactive ones too.
func TestMatching(t *testing.T) {
	b := build(t,
		&directory.Document{Name: "d", Users: []*directory.User{user("ada", "title", "Cook"), user("bo", "title", "Guest")}},
		&directory.Document{Name: "e", Users: []*directory.User{user("cy", "title", "cook")}})
	rule, err := filter.Parse(`title eq "COOK"`)
	require.NoError(t, err)
	names := func(home string) (list []string) {
		for u := range b.Matching(rule, home) {
			list = append(list, b.UserName(u))
		}
		return list
	}
	require.Equal(t, []string{"d/ada", "e/cy"}, names(""))
	require.Equal(t, []string{"e/cy"}, names("E"))
	require.Empty(t, names("f"))
}

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

var titles = []string{"Cook", "Night assistant", "Dome engineer"}

// observatory draws a directory of a few people in groups that hold each other,
// two of them by rule.
func observatory(t *rapid.T) *directory.Document {
	d := &directory.Document{Name: "d"}
	for i := range 5 {
		u := user(fmt.Sprintf("u%d", i), "title", rapid.SampledFrom(titles).Draw(t, "title"), "site", "Summit")
		if rapid.IntRange(0, 4).Draw(t, "primary") == 0 {
			u.PrimaryGroup = name.Ref{Name: "g0"}
		}
		d.Users = append(d.Users, u)
	}
	for i := range 4 {
		var users, groups []string
		for j := range 5 {
			if rapid.IntRange(0, 2).Draw(t, "member") == 0 {
				users = append(users, fmt.Sprintf("u%d", j))
			}
		}
		for j := range 4 {
			if rapid.IntRange(0, 3).Draw(t, "holds") == 0 {
				groups = append(groups, fmt.Sprintf("g%d", j))
			}
		}
		groups = append(groups, "cooks")
		d.Groups = append(d.Groups, group(fmt.Sprintf("g%d", i), users, groups))
	}
	for n, rule := range map[string]string{"cooks": `title eq "Cook"`, "active": `active eq true and title ne "Cook"`} {
		g := &directory.Group{Name: n, Rule: &directory.Rule{}}
		require.NoError(t, g.Rule.UnmarshalText([]byte(rule)))
		d.Groups = append(d.Groups, g)
	}
	return d
}

// A book with an edit is the book that is built of the edited documents: the
// same groups of every user, in the same way and by the same path, and the same
// members of every group.
func TestAnEditedBookIsTheOneBuiltAnew(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := observatory(t)
		b := build(t, d)
		edit := directory.Edit{
			Users:  map[directory.UserID]*directory.User{},
			Groups: map[directory.GroupID]*directory.Group{},
		}
		after := &directory.Document{Name: "d", Users: slices.Clone(d.Users)}
		for _, g := range d.Groups {
			copied := *g
			if g.Members != nil {
				copied.Members = &directory.Members{Users: slices.Clone(g.Members.Users), Groups: g.Members.Groups}
			}
			after.Groups = append(after.Groups, &copied)
		}
		for i, u := range d.Users {
			id, err := b.FindUser(u.Name, "")
			require.NoError(t, err)
			if rapid.Bool().Draw(t, "title changes") {
				now, err := u.Altered("title", rapid.SampledFrom(titles).Draw(t, "new title"))
				require.NoError(t, err)
				if rapid.Bool().Draw(t, "off") {
					now, err = now.Altered("active", false)
					require.NoError(t, err)
				}
				edit.Users[id], after.Users[i] = now, now
			}
			at := rapid.IntRange(0, 3).Draw(t, "group")
			g, err := b.FindGroup(fmt.Sprintf("g%d", at), "")
			require.NoError(t, err)
			listed := after.Groups[at].Members
			is := func(r name.Ref) bool { return r.Name == u.Name }
			switch {
			case rapid.Bool().Draw(t, "stays"):
			case slices.ContainsFunc(listed.Users, is):
				edit.Groups[g] = after.Groups[at]
				listed.Users = slices.DeleteFunc(listed.Users, is)
			default:
				edit.Groups[g] = after.Groups[at]
				listed.Users = append(listed.Users, name.Ref{Name: u.Name})
			}
		}
		if cooks := after.Groups[len(after.Groups)-1]; rapid.Bool().Draw(t, "rule changes") {
			g, err := b.FindGroup(cooks.Name, "")
			require.NoError(t, err)
			cooks.Rule = &directory.Rule{}
			require.NoError(t, cooks.Rule.UnmarshalText([]byte(`title ne "Night assistant"`)))
			edit.Groups[g] = cooks
		}
		b.Texts()
		edited, ok := b.With(edit)
		if !ok {
			return // a title that rules ask for has come or gone
		}
		var errs place.Errors
		again := directory.Build([]*directory.Document{after}, &errs)
		require.NoError(t, errs.Err())
		require.Equal(t, again.Texts(), edited.Texts())
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
			}
		}
		for g := range directory.GroupID(again.Groups()) {
			require.Equal(t, again.Members(g), edited.Members(g), again.GroupName(g))
		}
	})
}

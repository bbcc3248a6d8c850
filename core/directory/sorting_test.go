package directory_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
)

// Two users are of one kind exactly where nothing tells them apart: no attribute
// that the sorting began with, and none of the splits.
func TestASortingTellsApartWhatItWasSplitBy(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := build(t, observatory(t))
		s := b.Partitioned([]string{"TITLE"})
		keys := make([]string, b.Users())
		for u := range b.Users() {
			keys[u] = b.User(directory.UserID(u)).Attributes.First("title")
		}
		note := func(u directory.UserID, in bool) { keys[u] += fmt.Sprint(" ", in) }
		for range rapid.IntRange(0, 4).Draw(t, "splits") {
			groups := rapid.SliceOfN(rapid.Map(rapid.IntRange(0, b.Groups()-1), func(i int) directory.GroupID { return directory.GroupID(i) }), 0, 2).
				Draw(t, "groups")
			users := rapid.SliceOfN(rapid.Map(rapid.IntRange(0, b.Users()-1), func(i int) directory.UserID { return directory.UserID(i) }), 0, 2).
				Draw(t, "users")
			s.Split(b, groups, users)
			for u := range directory.UserID(b.Users()) {
				note(u, slices.Contains(users, u) || slices.ContainsFunc(groups, b.Subject(u).In))
			}
		}
		kinds := s.Kinds()
		firsts, of := s.Firsts()
		require.Len(t, firsts, kinds.Count())
		seen := 0
		for kind := range kinds.Count() {
			users := kinds.Users(kind)
			seen += len(users)
			assert.Equal(t, users[0], firsts[kind])
			for _, u := range users {
				assert.EqualValues(t, kind, of[u])
				assert.Equal(t, keys[users[0]], keys[u])
			}
			for other := range kind {
				assert.NotEqual(t, keys[kinds.Users(other)[0]], keys[users[0]], "two kinds that nothing tells apart")
			}
		}
		assert.Equal(t, b.Users(), seen)
	})
}

// Parted gives those whose values fit, or all others.
func TestParted(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := build(t, observatory(t))
		title := rapid.SampledFrom(titles).Draw(t, "title")
		users := b.Parted("TITLE", func(v []filter.Value) bool { return len(v) > 0 && v[0].Text == title })
		var fit, rest []directory.UserID
		for u := range directory.UserID(b.Users()) {
			if b.User(u).Attributes.First("title") == title {
				fit = append(fit, u)
			} else {
				rest = append(rest, u)
			}
		}
		if len(fit) > b.Users()/2 {
			fit = rest
		}
		assert.ElementsMatch(t, fit, users)
		assert.Empty(t, b.Without("SITE"), "everyone has a site")
		assert.Empty(t, b.Without("NOTHING"), "nobody has this")
	})
}

// Groups are found by the beginnings of their names in every directory, in any
// case.
func TestGroupsFrom(t *testing.T) {
	docs := []*directory.Document{{Name: "b"}, {Name: "a-b"}, {Name: "a"}}
	for _, d := range docs {
		for _, n := range []string{"night", "Night-Crew", "NIGHTS", "nigh", "day", "ñight"} {
			d.Groups = append(d.Groups, group(n, nil, nil))
		}
	}
	b := build(t, docs...)
	for _, start := range []string{"", "night", "NIGHT-", "ñ", "x"} {
		var got, want []string
		for g, own := range b.GroupsFrom(start) {
			assert.Equal(t, b.Group(g).Name, own)
			got = append(got, b.GroupName(g))
		}
		for full := range b.GroupNames() {
			_, bare, _ := strings.Cut(full, "/")
			if strings.HasPrefix(name.Fold(bare), name.Fold(start)) {
				want = append(want, full)
			}
		}
		assert.ElementsMatch(t, want, got, start)
	}
}

// However names and distinguished names are spelled, and however many there are,
// each leads to its record.
func TestManyReferencesLeadToTheirRecords(t *testing.T) {
	d := &directory.Document{Name: "d"}
	var named, distinguished, mixed []name.Ref
	for i := range 300 {
		n := fmt.Sprintf("Person-%03d", i)
		dn := fmt.Sprintf("uid=%s,ou=People,dc=cindervale,dc=example", n)
		d.Users = append(d.Users, &directory.User{Name: n, DN: dn})
		named = append(named, name.Ref{Name: []string{n, strings.ToUpper(n)}[i%2]})
		distinguished = append(
			distinguished,
			name.Ref{Name: []string{dn, strings.ToLower(dn), strings.ReplaceAll(dn, ",", " , ")}[i%3]},
		)
		mixed = append(mixed, []name.Ref{named[i], distinguished[i], {Name: "d/" + n}}[i%3])
	}
	for n, refs := range map[string][]name.Ref{"named": named, "distinguished": distinguished, "mixed": mixed} {
		d.Groups = append(d.Groups, &directory.Group{Name: n, Members: &directory.Members{Any: refs}})
	}
	b := build(t, d)
	assert.Empty(t, b.Findings())
	for g := range directory.GroupID(b.Groups()) {
		assert.Equal(t, 300, b.DirectUsers(g), b.GroupName(g))
	}
}

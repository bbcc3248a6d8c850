package directory_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
)

func refs(names ...string) []name.Ref {
	var list []name.Ref
	for i, n := range names {
		list = append(list, name.Ref{Name: n, Place: place.Place{File: "f", Line: int32(i + 1)}})
	}
	return list
}

func user(n string, attributes ...string) *directory.User {
	u := &directory.User{Name: n}
	for i := 0; i < len(attributes); i += 2 {
		_ = u.Attributes.Set(attributes[i], attributes[i+1])
	}
	return u
}

func group(n string, users, groups []string) *directory.Group {
	return &directory.Group{Name: n, Members: &directory.Members{Users: refs(users...), Groups: refs(groups...)}}
}

func build(t require.TestingT, docs ...*directory.Document) *directory.Book {
	var errs place.Errors
	b := directory.Build(docs, &errs)
	require.NoError(t, errs.Err())
	return b
}

func members(t *testing.T, b *directory.Book, g string) []string {
	t.Helper()
	id, err := b.FindGroup(g, "")
	require.NoError(t, err)
	list := []string{}
	for _, m := range b.Members(id) {
		s := b.UserName(m.User) + " " + string(m.How)
		for _, step := range m.Path {
			s += " " + b.Group(step.Group).Name
		}
		list = append(list, s)
	}
	return list
}

func TestMembership(t *testing.T) {
	off := false
	noor := user("noor")
	noor.Active = &off
	primary := user("pim")
	primary.PrimaryGroup = refs("staff")[0]
	rule, err := filter.Parse(`title co "archiv" and active eq true`)
	require.NoError(t, err)
	b := build(t, &directory.Document{
		Name:  "cindervale",
		Users: []*directory.User{user("Ilse"), noor, primary, user("rana", "title", "Archivist")},
		Groups: []*directory.Group{
			group("night-crew", []string{"ilse", "noor", "ilse"}, nil),
			group("dome", nil, []string{"night-crew"}),
			group("staff", nil, []string{"dome", "archivists"}),
			{Name: "archivists", Rule: &directory.Rule{Filter: rule, Text: "…"}},
			group("loop-a", nil, []string{"loop-b"}),
			group("loop-b", []string{"rana"}, []string{"loop-a"}),
		},
	})
	assert.Equal(
		t,
		[]string{"cindervale/Ilse nested night-crew dome", "cindervale/noor nested night-crew dome"},
		members(t, b, "DOME"),
	)
	assert.Equal(t, []string{
		"cindervale/Ilse nested night-crew dome staff", "cindervale/noor nested night-crew dome staff",
		"cindervale/pim primary staff", "cindervale/rana nested archivists staff",
	}, members(t, b, "cindervale/staff"))
	assert.Equal(t, []string{"cindervale/rana rule archivists"}, members(t, b, "archivists"))
	assert.Equal(t, []string{"cindervale/rana nested loop-b loop-a"}, members(t, b, "loop-a"))
	require.Len(t, b.Findings(), 1)
	assert.Equal(t, finding.Cycle, b.Findings()[0].Code)
	assert.Equal(t, []string{"cindervale/loop-a", "cindervale/loop-b"}, b.Findings()[0].Names)
}

// TestNesting tries each rule of docs/model.md section 3 for groups in groups.
func TestNesting(t *testing.T) {
	for _, c := range []struct {
		outer, inner *directory.Group
		foreign      bool // the inner group is of another directory
		ok           bool
	}{
		{outer: &directory.Group{}, inner: &directory.Group{}, ok: true},
		{outer: &directory.Group{}, inner: &directory.Group{}, foreign: true, ok: true},
		{outer: &directory.Group{UsableIn: "own"}, inner: &directory.Group{}, foreign: true, ok: true},
		{outer: &directory.Group{UsableIn: "own"}, inner: &directory.Group{UsableIn: "own"}, ok: true},
		{outer: &directory.Group{UsableIn: "own"}, inner: &directory.Group{UsableIn: "own"}, foreign: true, ok: false},
		{outer: &directory.Group{}, inner: &directory.Group{UsableIn: "own"}, ok: false},
		{outer: &directory.Group{UsableIn: "host", Host: "s"}, inner: &directory.Group{UsableIn: "own"}, foreign: true, ok: true},
		{outer: &directory.Group{UsableIn: "host", Host: "s"}, inner: &directory.Group{UsableIn: "host", Host: "s"}, ok: false},
		{outer: &directory.Group{MembersFrom: "own"}, inner: &directory.Group{}, ok: false},
		{outer: &directory.Group{MembersFrom: "own"}, inner: &directory.Group{MembersFrom: "own"}, ok: true},
		{outer: &directory.Group{MembersFrom: "own"}, inner: &directory.Group{MembersFrom: "own"}, foreign: true, ok: false},
		{outer: &directory.Group{}, inner: &directory.Group{MembersFrom: "own"}, foreign: true, ok: true},
		{outer: &directory.Group{}, inner: &directory.Group{Kind: "mail"}, ok: false},
		{outer: &directory.Group{Kind: "mail"}, inner: &directory.Group{}, ok: true},
	} {
		t.Run(
			fmt.Sprintf(
				"%s%s%s holds %s%s%s %v",
				c.outer.MembersFrom,
				c.outer.UsableIn,
				c.outer.Kind,
				c.inner.MembersFrom,
				c.inner.UsableIn,
				c.inner.Kind,
				c.foreign,
			),
			func(t *testing.T) {
				here, there := &directory.Document{Name: "here"}, &directory.Document{Name: "there"}
				c.outer.Name, c.inner.Name = "outer", "inner"
				home := here
				if c.foreign {
					home = there
				}
				home.Users = []*directory.User{user("ilse")}
				c.inner.Members = &directory.Members{Users: refs("ilse")}
				c.outer.Members = &directory.Members{Groups: refs(home.Name + "/inner")}
				here.Groups = append(here.Groups, c.outer)
				home.Groups = append(home.Groups, c.inner)
				b := build(t, here, there)
				assert.Equal(t, c.ok, len(members(t, b, "outer")) == 1)
				assert.Equal(t, c.ok, len(b.Findings()) == 0, "%v", b.Findings())
			},
		)
	}
}

// Devices are members by a list, through groups, and by their primary group.
func TestDevicesInGroups(t *testing.T) {
	here := &directory.Document{Name: "here", Devices: []*directory.Device{
		{
			Name:         "console",
			PrimaryGroup: refs("machines")[0],
		}, {Name: "laptop", PrimaryGroup: refs("machins")[0]}, {Name: "rack", PrimaryGroup: refs("own")[0]},
	}, Groups: []*directory.Group{
		{Name: "machines"},
		{Name: "own", MembersFrom: "own", Members: &directory.Members{Devices: refs("console", "rack")}},
		{Name: "all", Members: &directory.Members{Groups: refs("machines"), Devices: refs("laptop")}},
	}}
	there := &directory.Document{
		Name:    "there",
		Devices: []*directory.Device{{Name: "stray", PrimaryGroup: refs("here/own")[0]}},
	}
	b := build(t, here, there)
	var got []string
	for g := range directory.GroupID(b.Groups()) {
		for _, m := range b.DeviceMembers(g) {
			got = append(got, fmt.Sprintf("%s %s %s %d", b.GroupName(g), b.DeviceName(m.Device), m.How, len(m.Path)))
		}
	}
	assert.ElementsMatch(t, []string{
		"here/machines here/console primary 1", "here/own here/console direct 1", "here/own here/rack direct 1",
		"here/all here/console nested 2", "here/all here/laptop direct 1",
	}, got)
	console, err := b.FindDevice("console", "")
	require.NoError(t, err)
	assert.Len(t, b.DeviceGroups(console), 3)
	codes := map[finding.Code]int{}
	for _, f := range b.Findings() {
		codes[f.Code]++
	}
	assert.Equal(t, map[finding.Code]int{finding.UnknownName: 1, finding.ForeignMember: 1}, codes)
}

func TestForeignAndMissingMembers(t *testing.T) {
	here := &directory.Document{
		Name:    "here",
		Users:   []*directory.User{user("teo"), user("ana")},
		Devices: []*directory.Device{{Name: "console"}},
		Groups: []*directory.Group{
			{
				Name:        "own",
				MembersFrom: "own",
				Members:     &directory.Members{Users: refs("there/ana", "teo"), Devices: refs("console", "there/laptop")},
			},
			{Name: "any", Members: &directory.Members{Users: refs("tee", "teo"), Groups: refs("owm"), Devices: refs("consol")}},
			{Name: "by-dn", Members: &directory.Members{Any: refs("uid=teo,dc=x", "cn=nobody,dc=x")}},
		},
	}
	here.Users[0].DN = "UID=Teo, DC=x"
	there := &directory.Document{
		Name:    "there",
		Users:   []*directory.User{user("ana")},
		Devices: []*directory.Device{{Name: "laptop"}},
	}
	b := build(t, here, there)
	assert.Equal(t, []string{"here/teo direct own"}, members(t, b, "own"))
	assert.Equal(t, []string{"here/teo direct by-dn"}, members(t, b, "by-dn"))
	var got []string
	for _, f := range b.Findings() {
		got = append(got, fmt.Sprintf("%s%d%s", f.Code, f.Where.Line, f.Names))
	}
	assert.ElementsMatch(t, []string{
		"foreign-member1[here/own there/ana]", "foreign-member2[here/own there/laptop]",
		"unknown-name1[tee]", "unknown-name1[owm]", "unknown-name1[consol]", "unknown-name2[cn=nobody,dc=x]",
	}, got)

	_, err := b.FindUser("ana", "")
	assert.ErrorContains(t, err, "here/ana, there/ana")
	_, err = b.FindUser("ana", "there")
	assert.NoError(t, err)
}

func TestLoadErrors(t *testing.T) {
	var errs place.Errors
	anyone, err := filter.Parse("userName pr")
	require.NoError(t, err)
	rule := &directory.Rule{Filter: anyone}
	directory.Build([]*directory.Document{
		{
			Name: "d",
			Users: []*directory.User{
				{Name: "Ilse", Place: place.Place{File: "a", Line: 1}},
				{Name: "ilse", Place: place.Place{File: "a", Line: 2}},
				{DN: "nonsense", Name: "x"},
			},
			Groups: []*directory.Group{
				{
					Name:    "both",
					Rule:    rule,
					Members: &directory.Members{Users: refs("ilse")},
				}, {Name: "h", UsableIn: "host"}, {Name: "k", Host: "s"},
			},
		},
		{Name: "D"}, {Name: "a/b"},
	}, &errs)
	for _, want := range []string{"a:2: user d/ilse is in the directory twice; it is also at a:1", "has a rule and lists members", "needs the key host", "names a host system", "directory D is in the map twice", "no slash", `"nonsense" is not a distinguished name`} {
		assert.ErrorContains(t, errs.Err(), want)
	}
}

func TestRulesReachAsFarAsTheGroupDraws(t *testing.T) {
	rule, err := filter.Parse(`jobtitle pr or title eq "Archivist"`)
	require.NoError(t, err)
	b := build(
		t,
		&directory.Document{
			Name:  "here",
			Exact: []string{"title"},
			Users: []*directory.User{user("a", "title", "Archivist"), user("b", "title", "archivist")},
			Groups: []*directory.Group{
				{
					Name:        "own",
					MembersFrom: "own",
					Rule:        &directory.Rule{Filter: rule},
				}, {Name: "any", Rule: &directory.Rule{Filter: rule}},
			},
		},
		&directory.Document{Name: "there", Users: []*directory.User{user("c", "title", "ARCHIVIST")}},
	)
	assert.Equal(t, []string{"here/a rule own"}, members(t, b, "own"))
	assert.Equal(t, []string{"here/a rule any", "there/c rule any"}, members(t, b, "any"))
	require.Len(t, b.Findings(), 2)
	assert.Equal(t, finding.UnknownAttribute, b.Findings()[0].Code)
}

// A number in quotes orders texts, which is seldom meant.
func TestNumbersComparedAsText(t *testing.T) {
	for rule, code := range map[string]finding.Code{
		`level gt "9"`: finding.NumberAsText, `title pr and not (level le "10.5")`: finding.NumberAsText,
		`level gt 9`: "", `level eq "9"`: "", `level gt "b"`: "", `level ge "2026-11-23T22:00:00Z"`: "",
	} {
		parsed, err := filter.Parse(rule)
		require.NoError(t, err)
		b := build(
			t,
			&directory.Document{
				Name:   "d",
				Users:  []*directory.User{user("a", "level", "10", "title", "Cook")},
				Groups: []*directory.Group{{Name: "g", Rule: &directory.Rule{Filter: parsed}}},
			},
		)
		if code == "" {
			assert.Empty(t, b.Findings(), rule)
		} else if assert.Len(t, b.Findings(), 1, rule) {
			assert.Equal(t, code, b.Findings()[0].Code)
		}
	}
}

// The paths of random maps are as long as a plain breadth-first search says,
// and both ways of asking (by user and by group) agree.
func TestPathsAgreeWithPlainSearch(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 9).Draw(t, "groups")
		users := rapid.IntRange(1, 4).Draw(t, "users")
		doc := &directory.Document{Name: "d"}
		direct, holds := map[[2]int]bool{}, map[[2]int]bool{}
		for u := range users {
			doc.Users = append(doc.Users, user(fmt.Sprintf("u%d", u)))
		}
		for g := range n {
			var us, gs []string
			for u := range users {
				if direct[[2]int{u, g}] = rapid.IntRange(0, 3).Draw(t, "direct") == 0; direct[[2]int{u, g}] {
					us = append(us, fmt.Sprintf("u%d", u))
				}
			}
			for inner := range n {
				if holds[[2]int{inner, g}] = rapid.IntRange(0, 4).Draw(t, "holds") == 0; holds[[2]int{inner, g}] {
					gs = append(gs, fmt.Sprintf("g%d", inner))
				}
			}
			doc.Groups = append(doc.Groups, group(fmt.Sprintf("g%d", g), us, gs))
		}
		b := build(t, doc)
		for u := range users {
			best := plainPaths(u, n, direct, holds)
			s := b.Subject(directory.UserID(u))
			for g := range n {
				id := directory.GroupID(g)
				var got []int
				for _, step := range s.Path(id) {
					got = append(got, int(step.Group))
				}
				if !slices.Equal(got, best[g]) || s.In(id) != (best[g] != nil) {
					t.Fatalf("u%d to g%d: %v, plainly %v", u, g, got, best[g])
				}
				i := slices.IndexFunc(b.Members(id), func(m directory.Member) bool { return m.User == directory.UserID(u) })
				if (i >= 0) != s.In(id) || i >= 0 && !slices.Equal(b.Members(id)[i].Path, s.Path(id)) {
					t.Fatalf("u%d in g%d: by group %v, by user %v", u, g, b.Members(id), s.Path(id))
				}
			}
		}
	})
}

// plainPaths tries every path by length and then by names.
func plainPaths(u, n int, direct, holds map[[2]int]bool) [][]int {
	best := make([][]int, n)
	var layer [][]int
	for g := range n {
		if direct[[2]int{u, g}] {
			layer = append(layer, []int{g})
		}
	}
	for len(layer) > 0 {
		slices.SortFunc(layer, slices.Compare)
		var next [][]int
		for _, path := range layer {
			end := path[len(path)-1]
			if best[end] != nil {
				continue
			}
			best[end] = path
			for g := range n {
				if holds[[2]int{end, g}] {
					next = append(next, append(slices.Clone(path), g))
				}
			}
		}
		layer = next
	}
	return best
}

func TestAttributesGoThroughPlainValues(t *testing.T) {
	var a directory.Attributes
	require.NoError(t, a.Set("emails", []any{map[string]any{"value": "x", "type": "work"}, "y"}))
	require.NoError(t, a.Set("active", true))
	assert.Equal(t, "x", a.First("EMAILS"))
	assert.Equal(
		t,
		map[string]any{"emails": []any{map[string]any{"VALUE": "x", "TYPE": "work"}, "y"}, "active": true},
		a.Plain(),
	)
	assert.Error(t, a.Set("bad", []any{[]any{"x"}}))
	assert.Error(t, a.Set("bad", 3.5))
}

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
)

// A rule describes those whose records its filter matches, read one by one, whatever the
// filter begins with: of an attribute that many share, or of which nearly everyone has a
// value of their own, with regard to case in one directory and without in the other.
func TestRulesDescribeWhomTheirFiltersMatch(t *testing.T) {
	docs := []*directory.Document{{Name: "cindervale", Exact: []string{"title"}}, {Name: "ridge"}}
	titles := []string{"Astronomer", "astronomer", "Night Astronomer", "Cook", ""}
	for i := range 1500 {
		u := &directory.User{Name: fmt.Sprintf("p%04d", i)}
		require.NoError(t, u.Attributes.Set("title", titles[i%len(titles)]))
		require.NoError(t, u.Attributes.Set("department", []string{"Optics", "Science"}[i/7%2]))
		require.NoError(t, u.Attributes.Set("employeeNumber", fmt.Sprintf("E%04d%c", i, "ab"[i%2])))
		docs[i%2].Users = append(docs[i%2].Users, u)
	}
	comparison := rapid.Custom(func(t *rapid.T) string {
		attribute := rapid.SampledFrom([]string{"title", "department", "employeeNumber"}).Draw(t, "attribute")
		op := rapid.SampledFrom([]string{"eq", "ne", "sw", "ew", "co", "gt"}).Draw(t, "op")
		text := rapid.SampledFrom([]string{"Astronomer", "astro", "cook", "ics", "OPTICS", "E01", "E0100a", "B", ""}).
			Draw(t, "text")
		return fmt.Sprintf("%s %s %q", attribute, op, text)
	})
	rapid.Check(t, func(t *rapid.T) {
		docs[0].Groups = nil
		for i := range 10 {
			parts := rapid.SliceOfN(comparison, 1, 3).Draw(t, "parts")
			text := strings.Join(parts, rapid.SampledFrom([]string{" and ", " or "}).Draw(t, "word"))
			if rapid.IntRange(0, 5).Draw(t, "not") == 0 {
				text = "not (" + text + ")"
			}
			g := &directory.Group{Name: fmt.Sprintf("g%02d", i), Rule: &directory.Rule{}}
			require.NoError(t, g.Rule.UnmarshalText([]byte(text)))
			if rapid.Bool().Draw(t, "own") {
				g.MembersFrom = "own"
			}
			docs[0].Groups = append(docs[0].Groups, g)
		}
		b := build(t, docs...)
		for g := range directory.GroupID(b.Groups()) {
			group, home := b.Group(g), ""
			if group.MembersFrom == "own" {
				home = "cindervale"
			}
			want := slices.Collect(b.Matching(group.Rule.Filter, home))
			assert.Equal(t, want, b.DirectMembers(g), group.Rule.Text)
		}
		if t.Failed() {
			t.FailNow()
		}
	})
}

package atlas_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/atlas/atlastest"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// However the missing facts turn out, what depends is open if and only if an alternative is
// met, each need of it; and no alternative says what another does.
func TestOpenIfIsExact(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := atlastest.Draw(t)
		for _, u := range m.Directories[0].Users {
			if rapid.IntRange(0, 3).Draw(t, "expires") == 0 {
				u.Expires = directory.Instant{Time: time.Date(2026, 12, 31, 0, 0, 0, 0, time.UTC)}
			}
		}
		a, err := atlas.Compile(m)
		require.NoError(t, err)
		given := atlastest.Situation(t)
		facts, err := a.Facts(given)
		require.NoError(t, err)
		var full []situation.Situation
		for range 12 {
			full = append(full, atlastest.Completed(t, given))
		}
		for u := range directory.UserID(a.Book.Users()) {
			for _, e := range a.Reach(u, facts, nil) {
				exact(t, a, u, e, full)
			}
		}
	})
}

func exact(t *rapid.T, a *atlas.Atlas, u directory.UserID, e rule.Entitlement, full []situation.Situation) {
	what := fmt.Sprintf("%s: %s %s %s is %s, if %v", a.Book.UserName(u), e.System, e.Object, e.Right, e.State, e.OpenIf)
	switch e.State {
	case rule.Open:
		require.Equal(t, [][]situation.Need{{}}, e.OpenIf, what)
		return
	case rule.Shut:
		require.Empty(t, e.OpenIf, what)
		return
	}
	require.False(t, e.More, what)
	if slices.ContainsFunc(e.Needs, func(n situation.Need) bool {
		return strings.HasPrefix(string(n), "to:") || strings.HasPrefix(string(n), "port:")
	}) {
		return // a part of what is asked, and not a fact
	}
	require.True(t, slices.IsSortedFunc(e.OpenIf, func(x, y []situation.Need) int {
		if len(x) != len(y) {
			return len(x) - len(y)
		}
		return slices.Compare(x, y)
	}), what)
	s, err := a.System(e.System)
	require.NoError(t, err)
	p, err := s.Gate.At(e.Object, e.Right)
	require.NoError(t, err)
	for _, x := range full {
		facts, err := a.Facts(x)
		require.NoError(t, err)
		is := a.Decide(a.Question(u, facts), s, p).State == rule.Open
		said := slices.ContainsFunc(e.OpenIf, func(way []situation.Need) bool {
			return !slices.ContainsFunc(way, func(n situation.Need) bool { return !atlastest.Met(a, n, x) })
		})
		require.Equal(t, is, said, "%s; with %v", what, x.Facts())
	}
	for i, way := range e.OpenIf {
		for j, other := range e.OpenIf {
			require.False(
				t,
				i != j && !slices.ContainsFunc(other, func(n situation.Need) bool { return !slices.Contains(way, n) }),
				"%s: one says what another does",
				what,
			)
		}
	}
}

package plain_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas/atlastest"
	"gatemap/core/directory"
	"gatemap/core/plain"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// On any small map the plain reading and the engine say the same of everyone: the groups,
// and in each system every right and its state.
func TestThePlainReadingAndTheEngineAgree(t *testing.T) {
	held := 0
	rapid.Check(t, func(t *rapid.T) {
		m, a, given, facts := atlastest.Ask(t, atlastest.Known(atlastest.Draw(t)))
		w := plain.New(m)
		for u := range directory.UserID(a.Book.Users()) {
			person := w.User(a.Book.UserName(u))
			var groups []string
			for _, g := range a.Book.Subject(u).Groups() {
				groups = append(groups, a.Book.GroupName(g))
			}
			require.ElementsMatch(t, w.Groups(person), groups)
			asker := w.Ask(person, given)
			for _, s := range a.Systems {
				got := map[plain.Permission]rule.State{}
				for _, e := range a.Reach(u, facts, s) {
					got[plain.Permission{Object: e.Object, Right: e.Right}] = e.State
				}
				want := w.Reach(asker, s.Name())
				held += len(want)
				require.Len(t, got, len(want), "%s in %s", a.Book.UserName(u), s.Name())
				for at, state := range want {
					require.Equal(t, state, got[at], "%s in %s: %v", a.Book.UserName(u), s.Name(), at)
				}
			}
		}
	})
	require.NotZero(t, held)
}

// isPart says whether a need is a part of what is asked, and not a fact.
func isPart(n situation.Need) bool {
	return strings.HasPrefix(string(n), "to:") || strings.HasPrefix(string(n), "port:")
}

// However the missing facts turn out, the plain reading finds open what the engine says is
// open then, and nothing else.
func TestThePlainReadingAgreesOnOpenIf(t *testing.T) {
	depends := 0
	rapid.Check(t, func(t *rapid.T) {
		m, a, given, facts := atlastest.Ask(t, atlastest.Known(atlastest.Draw(t)))
		w := plain.New(m)
		full := []situation.Situation{
			atlastest.Completed(t, given),
			atlastest.Completed(t, given),
			atlastest.Completed(t, given),
		}
		for u := range a.Book.AllUsers {
			person := w.User(a.Book.UserName(u))
			for _, s := range a.Systems {
				held := a.Reach(u, facts, s)
				for _, x := range full {
					is := w.Reach(w.Ask(person, x), s.Name())
					for _, e := range held {
						if slices.ContainsFunc(e.Needs, isPart) {
							continue
						}
						if e.State == rule.Depends {
							depends++
						}
						said := slices.ContainsFunc(e.OpenIf, func(way []situation.Need) bool {
							return !slices.ContainsFunc(way, func(n situation.Need) bool { return !atlastest.Met(a, n, x) })
						})
						require.Equal(
							t,
							said,
							is[plain.Permission{Object: e.Object, Right: e.Right}] == rule.Open,
							"%s: %s %s of %s is open if %v; with %v",
							a.Book.UserName(u),
							e.Right,
							e.Object,
							e.System,
							e.OpenIf,
							x.Facts(),
						)
					}
				}
			}
		}
	})
	require.NotZero(t, depends)
}

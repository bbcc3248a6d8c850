package workspace_test

import (
	"fmt"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/plain"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/tools/bigmap/world"
)

// more are situations beside those above: twenty in all.
var more = []map[string]string{
	{
		"from": "203.0.113.9",
	}, {"from": "198.51.100.130"}, {"from": "2001:db8:51::7"}, {"from": "192.0.2.1", "at": "2026-11-28T10:00:00Z"},
	{
		"strength": "aal1",
	}, {"strength": "aal3", "device": "managed,compliant"}, {"device": "none"}, {"client": "browser"}, {"client": "legacy", "risk": "medium"},
	{
		"access": "vpn",
		"from":   "203.0.113.80",
	}, {"access": "wired"}, {"risk": "high", "via": "share"}, {"at": "2026-02-01T00:00:00Z", "from": "198.51.100.5", "risk": "low"},
}

// On a made-up map with systems of all types, what the engine says of every user
// and every system in twenty situations is what a plain reading of the lines
// says: nothing more, nothing less, and in the same state.
func TestTheEngineSaysWhatAPlainReadingSays(t *testing.T) {
	if testing.Short() {
		t.Skip("a law of what is computed, not of what is done at once")
	}
	f, a := made(t, t.TempDir(), world.Sizes["S"], 1)
	w := plain.New(f.Map)
	for _, u := range w.Users() {
		id, err := a.Book.FindUser(u.FullName(), "")
		require.NoError(t, err)
		var groups []string
		for _, g := range a.Book.Subject(id).Groups() {
			groups = append(groups, a.Book.GroupName(g))
		}
		require.ElementsMatch(t, w.Groups(u), groups, u.FullName())
	}
	all := slices.Concat(situations, more)
	require.Len(t, all, 20)
	held := make([]map[string][][]standing, len(all)) // by situation, system and user
	for i, facts := range all {
		known, err := a.Facts(given(t, facts))
		require.NoError(t, err)
		held[i] = map[string][][]standing{}
		var one sync.Mutex
		a.Survey(known, atlas.Brief, func(in *atlas.System, classes []atlas.Class) {
			by := make([][]standing, a.Book.Users())
			for _, c := range classes {
				list := make([]standing, len(c.Held))
				for i, e := range c.Held {
					list[i] = standing{plain.Permission{Object: e.Object, Right: e.Right}, e.State}
				}
				for _, u := range c.Users {
					by[u] = list
				}
			}
			one.Lock()
			defer one.Unlock()
			held[i][in.Name()] = by
		})
	}
	// Two plain readings, each for half of the users, at the same time.
	half := directory.UserID(a.Book.Users() / 2)
	var both sync.WaitGroup
	problems := make([]string, 2)
	for i, w := range []*plain.World{w, plain.New(f.Map)} {
		both.Go(func() {
			from, to := directory.UserID(i)*half, half+directory.UserID(i)*(directory.UserID(a.Book.Users())-half)
			for u := from; u < to && problems[i] == ""; u++ {
				problems[i] = disagreement(t, w, a, u, all, held)
			}
		})
	}
	both.Wait()
	require.Equal(t, []string{"", ""}, problems)
}

// disagreement is the first thing in which the plain reading differs about a
// user.
func disagreement(
	t *testing.T,
	w *plain.World,
	a *atlas.Atlas,
	u directory.UserID,
	all []map[string]string,
	held []map[string][][]standing,
) string {
	full := a.Book.UserName(u)
	asker := w.Ask(w.User(full), situation.Situation{})
	for i, facts := range all {
		at := asker.At(given(t, facts))
		for _, s := range a.Systems {
			if problem := differs(w.Reach(at, s.Name()), held[i][s.Name()][u]); problem != "" {
				return fmt.Sprintf("%s in %s, %v: %s", full, s.Name(), facts, problem)
			}
		}
	}
	return ""
}

// standing is a permission with the state of an entitlement to it.
type standing struct {
	permission plain.Permission
	state      rule.State
}

func differs(want map[plain.Permission]rule.State, got []standing) string {
	for _, x := range got {
		if want[x.permission] != x.state {
			return fmt.Sprintf(
				"%s on %s is %s, plainly %s",
				x.permission.Right,
				x.permission.Object,
				x.state,
				want[x.permission],
			)
		}
	}
	if len(got) != len(want) {
		return fmt.Sprintf("%d entitlements, plainly %d", len(got), len(want))
	}
	return ""
}

// A listing of all systems, for one user after the other into one list, says what each
// system says alone.
func TestAListingIsThatOfEachSystem(t *testing.T) {
	_, a := made(t, t.TempDir(), tiny, 5)
	for _, facts := range situations {
		known, err := a.Facts(given(t, facts))
		require.NoError(t, err)
		q, list := a.Question(0, known), []rule.Entitlement(nil)
		for u := range directory.UserID(a.Book.Users()) {
			q.Turn(u)
			list = a.AppendReach(list[:0], q)
			want := []rule.Entitlement{}
			for _, s := range a.Systems {
				want = append(want, a.Reach(u, known, s)...)
			}
			require.Equal(t, want, list, a.Book.UserName(u))
			require.Equal(t, want, a.Reach(u, known, nil))
		}
	}
}

// A question for states alone says what the whole answer says, and allocates
// nothing for the gate types that are asked at every turn.
func TestBriefQuestions(t *testing.T) {
	_, a := made(t, t.TempDir(), tiny, 3)
	for _, facts := range situations {
		known, err := a.Facts(given(t, facts))
		require.NoError(t, err)
		q := a.Brief(known)
		for _, s := range a.Systems {
			for u := range directory.UserID(a.Book.Users()) {
				q.Turn(u)
				brief, whole := a.In(q, s), a.Reach(u, known, s)
				require.Len(t, brief, len(whole))
				for i, e := range whole {
					require.Equal(t, e.State, brief[i].State, "%s: %s on %s", a.Book.UserName(u), e.Right, e.Object)
				}
				if len(whole) == 0 || !slices.Contains([]string{"roles", "firewall", "network", "signin"}, s.Document.Type.Name) {
					continue
				}
				p, err := s.Gate.At(whole[0].Object, whole[0].Right)
				require.NoError(t, err)
				require.Zero(t, testing.AllocsPerRun(5, func() {
					q.Turn(u)
					a.State(q, s, p)
				}), "%s in %s", a.Book.UserName(u), s.Name())
			}
		}
	}
}

package change_test

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/atlas/atlastest"
	"gatemap/core/change"
	"gatemap/core/situation"
)

// The pieces of a network or window are what is in one of both and not in the other, each
// address and minute; and what is looked at is in its piece.
func TestPiecesAreTheDifference(t *testing.T) {
	pieces := 0
	rapid.Check(t, func(t *rapid.T) {
		was := atlastest.Draw(t)
		before, err := atlas.Compile(was)
		require.NoError(t, err)
		is := redefined(t, was)
		trial, err := change.Try(before, was, is)
		if err != nil {
			return
		}
		list := trial.Pieces(time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC))
		pieces += len(list)
		for i, n := range was.Networks {
			now, there := trial.Atlas.Frame.Network(n.Name)
			if !there {
				continue
			}
			for range 20 {
				a := netip.AddrFrom4([4]byte{203, 0, 113, byte(rapid.IntRange(0, 255).Draw(t, "address"))})
				in := func(prefixes []netip.Prefix) bool {
					for _, p := range prefixes {
						if p.Contains(a) {
							return true
						}
					}
					return false
				}
				x, y := in(was.Networks[i].Prefixes), in(trial.Atlas.Frame.Networks[now].Prefixes)
				told := 0
				for _, p := range list {
					if p.Of == "network "+n.Name && netip.MustParsePrefix(p.What).Contains(a) {
						told++
						require.Equal(t, y, p.Came)
					}
				}
				require.Equal(t, x != y, told == 1, "%s in %s: %v", a, n.Name, list)
			}
		}
		for _, p := range list {
			at, ok := p.In(situation.Situation{})
			require.True(t, ok)
			_, twice := p.In(at)
			require.False(t, twice, "where and when it says already")
			if at.At.IsZero() {
				continue
			}
			for i := range was.Windows {
				if "window "+was.Windows[i].Name == p.Of {
					j, _ := trial.Atlas.Frame.Window(was.Windows[i].Name)
					require.Equal(t, p.Came, trial.Atlas.Frame.Windows[j].Contains(at.At, time.UTC))
					require.Equal(t, !p.Came, was.Windows[i].Contains(at.At, time.UTC))
				}
			}
		}
	})
	require.NotZero(t, pieces)
}

// A loss has a cause that holds: who is said to be in a group no longer is not, and a line
// that is said to give it no longer did.
func TestCausesHold(t *testing.T) {
	kinds := map[change.CauseKind]int{}
	rapid.Check(t, func(t *rapid.T) {
		was := atlastest.Draw(t)
		before, err := atlas.Compile(was)
		require.NoError(t, err)
		trial, err := change.Try(before, was, changed(t, was))
		require.NoError(t, err)
		o, err := trial.Outcome(atlastest.Situation(t))
		require.NoError(t, err)
		for _, l := range o.Losses {
			c := trial.LossCause(l.User, &l.Entitlement, nil)
			kinds[c.Kind]++
			u, err := trial.Atlas.Book.FindUser(l.User, "")
			switch c.Kind {
			case change.ByPerson:
				require.Error(t, err)
			case change.ByRule, change.ByMembership:
				require.NoError(t, err)
				old, err := before.Book.FindUser(l.User, "")
				require.NoError(t, err)
				g, err := before.Book.FindGroup(c.Name, "")
				require.NoError(t, err)
				require.True(t, before.Book.HasDirectly(g, old))
				if now, err := trial.Atlas.Book.FindGroup(c.Name, ""); err == nil {
					require.False(t, trial.Atlas.Book.HasDirectly(now, u))
				}
			case change.ByLine:
				require.NoError(t, err)
			}
		}
	})
	require.NotZero(
		t,
		kinds[change.ByRule]*kinds[change.ByMembership]*kinds[change.ByPerson]*kinds[change.ByLine],
		"%v",
		kinds,
	)
}

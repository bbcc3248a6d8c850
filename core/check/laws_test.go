package check_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/atlas/atlastest"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/gate/app"
	"gatemap/core/gate/firewall"
	"gatemap/core/gate/hosts"
	"gatemap/core/gate/licences"
	"gatemap/core/gate/network"
	"gatemap/core/gate/roles"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func thing(system, right, object string) atlas.What {
	w := what(right, object)
	w.System.Name = system
	return w
}

// everywhere is what everyone can use of what a map lists for anyone, in several situations,
// for sure (in any case) or perhaps, by that map or another.
func everywhere(t require.TestingT, a, by *atlas.Atlas) map[string]rule.State {
	all := map[string]rule.State{}
	points := map[[3]string]bool{}
	for u := range directory.UserID(a.Book.Users()) {
		for _, e := range a.Reach(u, a.Frame.Facts(situation.Situation{}, nil), nil) {
			points[[3]string{e.System, e.Object, e.Right}] = true
		}
	}
	for i, facts := range []map[string]string{
		{}, {"device": "managed"}, {"device": "none", "strength": "aal1"}, {"strength": "aal2", "from": "203.0.113.9"}, {"from": "198.51.100.9", "device": "managed,compliant"},
	} {
		given, err := situation.Parse(func(field string) string { return facts[field] })
		require.NoError(t, err)
		known, err := by.Facts(given)
		require.NoError(t, err)
		for x := range points {
			s, err := by.System(x[0])
			require.NoError(t, err)
			p, err := s.Gate.At(x[1], x[2])
			require.NoError(t, err)
			for u := range directory.UserID(by.Book.Users()) {
				e := by.Decide(by.Question(u, known), s, p)
				if e.Surely() < rule.Depends {
					continue
				}
				all[fmt.Sprint(i, " ", u, " ", e.System, " ", e.Object, " ", e.Right, " ", e.Breadth)] = e.Surely()
			}
		}
	}
	return all
}

// dropped is a list without the line of some name.
func dropped[T any](list []T, rule string, named func(int) string) ([]T, bool) {
	for i := range list {
		if named(i) == rule {
			return slices.Delete(slices.Clone(list), i, i+1), true
		}
	}
	return list, false
}

// numbered names lines that have no name of their own.
func numbered(kind string) func(int) string {
	return func(i int) string { return fmt.Sprint(kind, " ", i+1) }
}

// without is a map in which a system lacks one line.
func without(m *atlas.Map, system, rule string) (is *atlas.Map, ok bool) {
	other := *m
	other.Systems = slices.Clone(m.Systems)
	at := slices.IndexFunc(m.Systems, func(s *gate.System) bool { return s.Name == system })
	s := *m.Systems[at]
	switch d := s.Gate.(type) {
	case *firewall.Document:
		now := *d
		now.Rules, ok = dropped(d.Rules, rule, func(i int) string { return d.Rules[i].Name })
		s.Gate = &now
	case *network.Document:
		now := *d
		now.Policies, ok = dropped(d.Policies, rule, func(i int) string { return d.Policies[i].Name })
		s.Gate = &now
	case *roles.Document:
		now := *d
		now.Mappings, ok = dropped(d.Mappings, rule, numbered("mapping"))
		s.Gate = &now
	case *licences.Document:
		now := *d
		now.Mappings, ok = dropped(d.Mappings, rule, numbered("mapping"))
		s.Gate = &now
	case *app.Document:
		now := *d
		now.Mappings, ok = dropped(d.Mappings, rule, numbered("mapping"))
		s.Gate = &now
	case *hosts.Document:
		now := *d
		now.Login, ok = dropped(d.Login, rule, numbered("login"))
		s.Gate = &now
	}
	other.Systems[at] = &s
	return &other, ok
}

// A line that is said to add nothing, or never to decide, can go: everyone can do the
// same as before, in every situation.
func TestLinesThatAddNothingCanGo(t *testing.T) {
	seen := map[string]int{}
	rapid.Check(t, func(t *rapid.T) {
		m := atlastest.Draw(t)
		a, err := atlas.Compile(m)
		require.NoError(t, err)
		var before map[string]rule.State
		for _, f := range check.Findings(a) {
			if f.Code != finding.Shadowed && f.Code != finding.Redundant {
				continue
			}
			is, ok := without(m, f.Where.System, f.Where.Rule)
			if !ok {
				continue
			}
			if before == nil {
				before = everywhere(t, a, a)
			}
			b, err := atlas.Compile(is)
			require.NoError(t, err)
			seen[f.Where.System]++
			require.Equal(t, before, everywhere(t, a, b), f.Message)
		}
	})
	require.NotEmpty(t, seen)
}

// A line that is said never to open anything opens nothing, for anyone in any situation.
func TestLinesThatAreLockedOutOpenNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		m := atlastest.Draw(t)
		a, err := atlas.Compile(m)
		require.NoError(t, err)
		var locked []finding.Finding
		for _, f := range check.Findings(a) {
			if f.Code == finding.LockedOut {
				locked = append(locked, f)
			}
		}
		if locked == nil {
			return
		}
		before := everywhere(t, a, a)
		for _, f := range locked {
			is, ok := without(m, f.Where.System, f.Where.Rule)
			if !ok {
				continue
			}
			b, err := atlas.Compile(is)
			require.NoError(t, err)
			after := everywhere(t, a, b)
			if s, err := a.System(f.Where.System); err == nil && len(s.Site.Shared) > 0 {
				require.Subset(t, after, before, f.Message) // others have its seats now
				continue
			}
			require.Equal(t, before, after, f.Message)
		}
	})
}

// held is what a user holds of something, as why says it of each object on which it can be
// asked, or as reach lists it.
func held(
	t *rapid.T,
	a *atlas.Atlas,
	s *atlas.System,
	u directory.UserID,
	facts *situation.Facts,
	about atlas.What,
) (all []rule.Entitlement) {
	if strings.Contains(about.Right.Value, "*") {
		return slices.DeleteFunc(a.Reach(u, facts, s), func(e rule.Entitlement) bool { return !about.Right.Matches(e.Right) })
	}
	objects := []string{about.Object}
	if about.Object == "" {
		objects = s.Gate.Catalogue().Objects
	}
	for _, object := range objects {
		p, err := s.Gate.At(object, about.Right.Value)
		require.NoError(t, err)
		all = append(all, a.Decide(a.Question(u, facts), s, p))
	}
	return all
}

// What a guarantee says is what asking everyone says.
func TestGuaranteesAreWhatAskingEveryoneSays(t *testing.T) {
	outcomes := map[bool]int{}
	rapid.Check(t, func(t *rapid.T) {
		m := atlastest.Draw(t)
		about := rapid.SampledFrom([]atlas.What{thing("archive", "frames:read", "/raw"), thing("suite", "rooms", "planner"), thing("desk", "*", ""), thing("vpn", "admit", "vpn"),
			thing(
				"archive",
				"frames:write",
				"/raw/2026/night/1",
			), thing("wall", "tcp/22", ""), thing("wall", "tcp/22", "dome"), thing("hosts", "run /bin/true as root", ""), thing("share", "read", "")}).
			Draw(t, "about")
		most := rapid.IntRange(0, 3).Draw(t, "most")
		who := gate.Who{Everyone: true}
		m.Guarantees = []*atlas.Guarantee{
			{Name: "every", Every: &who, Can: &about},
			{Name: "nobody", Nobody: &who, Can: &about},
			{Name: "few", AtMost: &most, Can: &about},
		}
		a, err := atlas.Compile(m)
		require.NoError(t, err)
		facts := a.Frame.Facts(situation.Situation{}, nil)
		s, err := a.System(about.System.Name)
		require.NoError(t, err)
		can := map[string]bool{}
		lacking := 0
		for u := range directory.UserID(a.Book.Users()) {
			has := slices.ContainsFunc(
				held(t, a, s, u, facts, about),
				func(e rule.Entitlement) bool { return e.Surely() >= rule.Depends },
			)
			if has {
				can[a.Book.UserName(u)] = true
			} else if a.Book.User(u).IsActive() {
				lacking++
			}
		}
		active := 0
		for u := range directory.UserID(a.Book.Users()) {
			if a.Book.User(u).IsActive() {
				active++
			}
		}
		want := map[string]bool{"every": lacking == 0 && active > 0, "nobody": len(can) == 0, "few": len(can) <= most}
		for _, g := range check.Guarantees(a) {
			require.Equal(t, want[g.Guarantee], !g.Broken(), "%s: %v can", g.Guarantee, slices.Sorted(maps.Keys(can)))
			outcomes[g.Broken()]++
			if g.Guarantee == "nobody" {
				require.ElementsMatch(t, slices.Collect(maps.Keys(can)), g.Users)
			}
		}
	})
	require.NotZero(t, outcomes[true])
	require.NotZero(t, outcomes[false])
}

// Which lines never open anything is the same whether people are looked at one by one, or by
// kinds.
func TestLockedLinesAreTheSameEitherWay(t *testing.T) {
	defer check.OneByOne(check.OneByOne(0))
	locked := 0
	rapid.Check(t, func(t *rapid.T) {
		a, err := atlas.Compile(atlastest.Draw(t))
		require.NoError(t, err)
		find := func(most int) (list []finding.Finding) {
			check.OneByOne(most)
			for _, f := range check.Findings(a) {
				if f.Code == finding.LockedOut {
					list = append(list, f)
				}
			}
			return list
		}
		byKinds := find(0)
		locked += len(byKinds)
		for _, most := range []int{1, 3, 4000} {
			require.Equal(t, byKinds, find(most))
		}
	})
	require.NotZero(t, locked)
}

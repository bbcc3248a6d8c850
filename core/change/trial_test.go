package change_test

import (
	"fmt"
	"math"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/atlas/atlastest"
	"gatemap/core/change"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/licences"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// changed is a map in which some records and systems are others: a user's, a group's, a
// group that came or went, or a system's. What is the same is the same in memory.
func changed(t *rapid.T, m *atlas.Map) *atlas.Map {
	is, d := *m, *m.Directories[0]
	d.Users, d.Groups, is.Systems = slices.Clone(d.Users), slices.Clone(d.Groups), slices.Clone(m.Systems)
	for range rapid.IntRange(1, 3).Draw(t, "changes") {
		switch rapid.IntRange(0, 8).Draw(t, "change") {
		case 7, 8:
			i := rapid.IntRange(0, len(d.Groups)-1).Draw(t, "group that is renamed")
			n := rapid.SampledFrom([]string{"annex", "night", "crew2"}).Draw(t, "its name")
			if slices.ContainsFunc(d.Groups, func(g *directory.Group) bool { return g.Name == n }) {
				continue
			}
			renamed := *d.Groups[i]
			renamed.Name = n
			d.Groups[i] = &renamed
		case 0:
			i := rapid.IntRange(0, len(d.Users)-1).Draw(t, "user")
			d.Users[i] = atlastest.User(t, d.Users[i].Name)
		case 5, 6:
			n := rapid.SampledFrom(append([]string{"abel", "zora", "lia"}, atlastest.Users...)).Draw(t, "joins or leaves")
			if i := slices.IndexFunc(d.Users, func(u *directory.User) bool { return u.Name == n }); i < 0 {
				d.Users = append(d.Users, atlastest.User(t, n))
			} else if len(d.Users) > 2 {
				d.Users = slices.Delete(d.Users, i, i+1)
			}
		case 1:
			if i := rapid.IntRange(0, len(d.Groups)-1).Draw(t, "group"); slices.Contains(atlastest.Groups, d.Groups[i].Name) {
				d.Groups[i] = atlastest.Group(t, d.Groups[i].Name)
			}
		case 2:
			n := rapid.SampledFrom([]string{"annex", "night"}).Draw(t, "comes or goes")
			if i := slices.IndexFunc(d.Groups, func(g *directory.Group) bool { return g.Name == n }); i >= 0 {
				d.Groups = slices.Delete(d.Groups, i, i+1)
			} else {
				d.Groups = append(d.Groups, &directory.Group{Name: n, Members: &directory.Members{Users: nametest.Refs("ilse"), Groups: nametest.Refs("crew")}})
			}
		default:
			i := rapid.IntRange(0, len(is.Systems)-1).Draw(t, "system")
			if slices.Contains(atlastest.Systems, is.Systems[i].Name) {
				is.Systems[i] = atlastest.System(t, is.Systems[i].Name)
			}
		}
	}
	is.Directories = []*directory.Document{&d}
	return &is
}

// What a trial computes, one after the other, is the difference of both maps compiled
// whole: who gains and loses what, and what is found.
func TestATrialIsTheDifferenceOfBothMaps(t *testing.T) {
	tried, again := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		was := atlastest.Draw(t)
		before, err := atlas.Compile(was)
		require.NoError(t, err)
		given := atlastest.Situation(t)
		for range 2 {
			is := changed(t, was)
			trial, err := change.Try(before, was, is)
			require.NoError(t, err)
			whole, err := atlas.Compile(is)
			require.NoError(t, err)
			tried++
			if trial.Recompiled() {
				again++
			}
			want, err := change.Entitlements(before, whole, given)
			require.NoError(t, err)
			got, err := trial.Outcome(given)
			require.NoError(t, err)
			require.Equal(t, [3]any{want.Gains, want.Losses, want.Changes}, [3]any{got.Gains, got.Losses, got.Changes})
			found := check.Findings(before)
			require.Equal(t, change.None(whole).Findings(found), trial.Findings(found))
			was, before = is, trial.Atlas
		}
	})
	require.Less(t, 4*again, tried, "most is computed from what was there")
}

// redefined is a map of which a network, a window or a system is another, comes or goes.
func redefined(t *rapid.T, m *atlas.Map) *atlas.Map {
	is := *m
	is.Networks, is.Windows, is.Systems = slices.Clone(m.Networks), slices.Clone(m.Windows), slices.Clone(m.Systems)
	switch rapid.IntRange(0, 7).Draw(t, "redefined") {
	case 0:
		i := rapid.IntRange(0, len(is.Networks)-1).Draw(t, "network")
		is.Networks[i].Prefixes = []netip.Prefix{
			netip.MustParsePrefix(rapid.SampledFrom([]string{"203.0.113.0/28", "192.0.2.0/24", "::/0"}).Draw(t, "prefix")),
		}
	case 1:
		i := rapid.IntRange(0, len(is.Windows)-1).Draw(t, "window")
		is.Windows[i].To = situation.TimeOfDay(60 * rapid.IntRange(0, 24).Draw(t, "to"))
	case 2:
		i := rapid.IntRange(0, len(is.Systems)-1).Draw(t, "system")
		is.Systems = slices.Delete(is.Systems, i, i+1)
	case 3:
		s := *is.Systems[0]
		s.Name = "another"
		is.Systems = append(is.Systems, &s)
	case 4: // the same by another spelling
		i := rapid.IntRange(0, len(is.Networks)-1).Draw(t, "network")
		is.Networks[i].Name = strings.ToUpper(is.Networks[i].Name)
	case 5:
		i := rapid.IntRange(0, len(is.Windows)-1).Draw(t, "window")
		is.Windows[i].Name = strings.ToUpper(is.Windows[i].Name)
	case 6: // another one instead
		i := rapid.IntRange(0, len(is.Networks)-1).Draw(t, "network")
		is.Networks[i].Name = "elsewhere"
	default:
		is.Networks = append(
			is.Networks,
			situation.Network{Name: "annex", Prefixes: []netip.Prefix{netip.MustParsePrefix("192.0.2.0/28")}},
		)
	}
	return &is
}

// What a trial tells is the difference of both maps on large maps too, of which three people
// are one here, whatever differs; or it says of how many people it is.
func TestATrialOfALargeMapLeavesOutNobody(t *testing.T) {
	whole, partial := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		was := atlastest.Draw(t)
		before, err := atlas.Compile(was)
		require.NoError(t, err)
		is := redefined(t, was)
		if rapid.Bool().Draw(t, "records too") {
			is = changed(t, is)
		}
		if rapid.IntRange(0, 4).Draw(t, "someone leaves") == 0 {
			d := *is.Directories[0]
			d.Users = slices.Clone(d.Users)[1:]
			is.Directories = []*directory.Document{&d}
		}
		trial, err := change.Try(before, was, is)
		if err != nil {
			return // a system that others need went
		}
		given := atlastest.Situation(t)
		want, err := change.Entitlements(before, trial.Atlas, given)
		require.NoError(t, err)
		got, looked, err := trial.OutcomeWithin(given, 3, math.MaxInt)
		require.NoError(t, err)
		if looked > 0 {
			partial++
			return
		}
		whole++
		require.Equal(t, [3]any{want.Gains, want.Losses, want.Changes}, [3]any{got.Gains, got.Losses, got.Changes})
	})
	require.Less(t, partial, whole)
}

// An outcome that ends at so many effects says after how many people, and has all that it does to
// these.
func TestAnOutcomeEndsAtSomeEffects(t *testing.T) {
	ended := 0
	rapid.Check(t, func(t *rapid.T) {
		was := atlastest.Draw(t)
		before, err := atlas.Compile(was)
		require.NoError(t, err)
		trial, err := change.Try(before, was, changed(t, was))
		if err != nil {
			return // a system that others need went
		}
		given, most := atlastest.Situation(t), rapid.IntRange(1, 5).Draw(t, "most")
		limit := rapid.SampledFrom([]int{3, 1000}).Draw(t, "limit")
		want, err := change.Entitlements(before, trial.Atlas, given)
		require.NoError(t, err)
		whole, unended, err := trial.OutcomeWithin(given, limit, math.MaxInt)
		require.NoError(t, err)
		got, looked, err := trial.OutcomeWithin(given, limit, most)
		require.NoError(t, err)
		if looked == unended {
			require.Equal(t, whole, got)
			return
		}
		ended++
		effects := len(got.Gains) + len(got.Losses) + len(got.Changes) + len(got.Reroutes)
		require.GreaterOrEqual(t, effects, most)
		people := map[string]bool{}
		of := func(list []change.Held) (some []change.Held) {
			for _, x := range list {
				if people[x.User] {
					some = append(some, x)
				}
			}
			return some
		}
		for _, list := range [][]change.Held{got.Gains, got.Losses} {
			for _, x := range list {
				people[x.User] = true
			}
		}
		require.LessOrEqual(t, len(people), looked)
		require.ElementsMatch(t, of(want.Gains), got.Gains)
		require.ElementsMatch(t, of(want.Losses), got.Losses)
	})
	require.Positive(t, ended)
}

// An outcome that is kept to so many of each counts all of them, and has the first.
func TestASummaryCountsWhatItLeavesOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		was := atlastest.Draw(t)
		is := changed(t, was)
		before, err := atlas.Compile(was)
		require.NoError(t, err)
		after, err := atlas.Compile(is)
		require.NoError(t, err)
		given, keep := atlastest.Situation(t), rapid.IntRange(0, 5).Draw(t, "keep")
		whole, err := change.Entitlements(before, after, given)
		require.NoError(t, err)
		kept, err := change.Between(before, after, given, 100, keep)
		require.NoError(t, err)
		require.Equal(
			t,
			[3]int{len(whole.Gains), len(whole.Losses), len(whole.Changes)},
			[3]int{kept.GainCount, kept.LossCount, kept.ChangeCount},
		)
		require.Equal(t, whole.Gains[:min(keep, len(whole.Gains))], kept.Gains)
		require.Equal(t, whole.Losses[:min(keep, len(whole.Losses))], kept.Losses)
	})
}

// What is told of two people does not depend on who is named first.
func TestComparingIsTheSameBothWays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, err := atlas.Compile(atlastest.Draw(t))
		require.NoError(t, err)
		facts, err := a.Facts(atlastest.Situation(t))
		require.NoError(t, err)
		there, back := change.People(a, 0, 1, facts), change.People(a, 1, 0, facts)
		require.Equal(t, names(there.OnlyFirst), names(back.OnlySecond))
		require.Equal(t, names(there.OnlySecond), names(back.OnlyFirst))
		require.Equal(t, names(there.Both), names(back.Both))
		require.Len(t, back.Differ, len(there.Differ))
		same := change.People(a, 0, 0, facts)
		require.Len(t, same.Both, len(a.Reach(0, facts, nil)))
		require.Empty(t, append(same.OnlyFirst, same.OnlySecond...))
	})
}

func names(list []rule.Entitlement) (all []string) {
	for _, e := range list {
		all = append(all, e.System+" "+e.Object+" "+e.Right)
	}
	return all
}

// Where someone leaves a large map and a network takes the place of another, which may touch
// anyone, the outcome says that it is a part.
func TestAnotherNetworkMayTouchAnyone(t *testing.T) {
	d := &directory.Document{Name: "d"}
	for i := range 40 {
		d.Users = append(d.Users, &directory.User{Name: fmt.Sprintf("user%d", i)})
	}
	doors := &licences.Document{
		Products: []licences.Product{{Name: place.Text{Value: "suite"}, Features: []licences.Feature{{Name: "a"}}}},
		Mappings: []licences.Mapping{{Product: name.Ref{Name: "suite"}, Who: gate.Who{Everyone: true}}},
	}
	was := &atlas.Map{
		Directories: []*directory.Document{d},
		Systems: []*gate.System{
			{Name: "s", Gate: doors, Behind: []gate.Prerequisite{{When: &situation.When{Networks: nametest.Refs("desk")}}}},
		},
		Networks: []situation.Network{{Name: "desk", Prefixes: []netip.Prefix{netip.MustParsePrefix("192.0.2.0/24")}}},
	}
	is, fewer := *was, *d
	fewer.Users = d.Users[1:]
	is.Directories = []*directory.Document{&fewer}
	is.Networks = []situation.Network{{Name: "annex", Prefixes: was.Networks[0].Prefixes}}
	before, err := atlas.Compile(was)
	require.NoError(t, err)
	trial, err := change.Try(before, was, &is)
	require.NoError(t, err)
	want, err := change.Entitlements(before, trial.Atlas, situation.Situation{From: netip.MustParseAddr("192.0.2.1")})
	require.NoError(t, err)
	require.Len(t, want.Losses, 40, "all lose what they have at the desk")
	_, looked, err := trial.OutcomeWithin(situation.Situation{From: netip.MustParseAddr("192.0.2.1")}, 20, math.MaxInt)
	require.NoError(t, err)
	require.Equal(t, 1, looked)
}

// Seats are told of a trial whose mappings name people and groups that came with it.
func TestSeatsForThoseWhoCameWithTheTrial(t *testing.T) {
	one := 1
	drawn := func(users []*directory.User, groups []*directory.Group, to gate.Who) *atlas.Map {
		return &atlas.Map{
			Directories: []*directory.Document{{Name: "d", Users: users, Groups: groups}},
			Systems: []*gate.System{{Name: "s", Gate: &licences.Document{
				Products: []licences.Product{
					{Name: place.Text{Value: "suite"}, Seats: &one, Features: []licences.Feature{{Name: "viewer"}}},
				},
				Mappings: []licences.Mapping{{Product: name.Ref{Name: "suite"}, Who: to}},
			}}},
		}
	}
	users := []*directory.User{{Name: "ilse"}, {Name: "teo"}}
	was := drawn(users, nil, gate.Who{Users: nametest.Refs("ilse", "teo")})
	for what, is := range map[string]*atlas.Map{
		"a user who is switched off":      drawn(append(slices.Clone(users), &directory.User{Name: "zora", Active: new(bool)}), nil, gate.Who{Users: nametest.Refs("ilse", "zora")}),
		"a user whom the mapping excepts": drawn(append(slices.Clone(users), &directory.User{Name: "zora"}), nil, gate.Who{Users: nametest.Refs("ilse", "zora"), Except: &directory.People{Users: nametest.Refs("zora")}}),
		"a mapping that is off":           drawn(append(slices.Clone(users), &directory.User{Name: "zora"}), nil, gate.Who{Users: nametest.Refs("zora"), Off: true}),
		"a user":                          drawn(append(slices.Clone(users), &directory.User{Name: "zora"}), nil, gate.Who{Users: nametest.Refs("ilse", "zora")}),
		"an empty group":                  drawn(users, []*directory.Group{{Name: "crew"}}, gate.Who{Groups: nametest.Refs("crew")}),
		"a group":                         drawn(users, []*directory.Group{{Name: "crew", Members: &directory.Members{Users: nametest.Refs("teo")}}}, gate.Who{Groups: nametest.Refs("crew")}),
	} {
		t.Run(what, func(t *testing.T) {
			before, err := atlas.Compile(was)
			require.NoError(t, err)
			trial, err := change.Try(before, was, is)
			require.NoError(t, err)
			whole, err := atlas.Compile(is)
			require.NoError(t, err)
			want, err := change.Entitlements(before, whole, situation.Situation{})
			require.NoError(t, err)
			got, err := trial.Outcome(situation.Situation{})
			require.NoError(t, err)
			require.Equal(t, [3]any{want.Gains, want.Losses, want.Changes}, [3]any{got.Gains, got.Losses, got.Changes})
			require.False(t, trial.Recompiled())
		})
	}
}

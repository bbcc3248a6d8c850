package situation_test

import (
	"net/netip"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/situation"
)

// summit has a network within another, one apart, and a window within another.
func summit(t testing.TB) *situation.Frame {
	return &situation.Frame{
		Zone: zone(t, "Europe/Berlin"),
		Networks: []situation.Network{
			{Name: "office", Prefixes: []netip.Prefix{netip.MustParsePrefix("203.0.113.0/24")}},
			{Name: "desk", Prefixes: []netip.Prefix{netip.MustParsePrefix("203.0.113.16/28")}},
			{
				Name:     "summit",
				Prefixes: []netip.Prefix{netip.MustParsePrefix("198.51.100.0/25"), netip.MustParsePrefix("2001:db8::/32")},
			},
		},
		Windows: []situation.Window{
			{Name: "night", Days: everyDay, From: 18 * 60, To: 7 * 60},
			{Name: "dawn", Days: everyDay, From: 5 * 60, To: 7 * 60},
			{Name: "workday", Days: everyDay[:5], From: 8 * 60, To: 18 * 60},
		},
	}
}

// What ways come to when they are joined is exact: of one fact the narrower need stands, what
// contradicts itself goes, and what covers every case asks for nothing.
func TestWaysAreReckonedWith(t *testing.T) {
	f := summit(t)
	facts := f.Facts(situation.Situation{}, nil)
	compiled := func(w situation.When) *situation.Condition {
		c, whole := f.Compile(&w, nil, func(string, name.Ref, []string) {})
		require.True(t, whole)
		return &c
	}
	is := func(w situation.When) situation.Ways { return compiled(w).Ways(facts) }
	not := func(w situation.When) situation.Ways { return compiled(w).Opposites(facts) }
	in := func(networks ...string) situation.When { return situation.When{Networks: nametest.Refs(networks...)} }
	during := func(windows ...string) situation.When { return situation.When{Windows: nametest.Refs(windows...)} }
	strong := func(s situation.Strength) situation.When { return situation.When{Strength: []situation.Strength{s}} }
	rated := func(r ...situation.Risk) situation.When { return situation.When{Risk: r} }
	with := func(p ...situation.Property) situation.When { return situation.When{Device: p} }
	noon := at(t, "2026-11-24T12:00:00Z")
	before, after := situation.All(situation.Before(noon)), situation.All(situation.After(noon))
	later := situation.All(situation.After(noon.Add(time.Hour)))
	none, any := "", "()"
	for _, c := range []struct {
		what string
		ways situation.Ways
		want string
	}{
		{"one need", is(in("office")), "(network:office)"},
		{"a network within another", is(in("office")).And(is(in("desk"))), "(network:desk)"},
		{"any of them", is(in("office")).Or(is(in("desk"))), "(network:office)"},
		{"networks apart", is(in("office")).And(is(in("summit"))), none},
		{"one of several, narrowed", is(in("office", "summit")).And(is(in("desk"))), "(network:desk)"},
		{"outside the outer one", not(in("office")).And(is(in("desk"))), none},
		{"outside the inner one", not(in("desk")).And(is(in("office"))), "(network:office and not-network:desk)"},
		{"everywhere", is(in("office")).Or(not(in("desk"))), any},
		{"everywhere, in two steps", is(in("desk")).Or(not(in("office"))).Or(is(in("office")).And(not(in("desk")))), any},
		{"a window within another", is(during("night")).And(is(during("dawn"))), "(window:dawn)"},
		{"windows apart", is(during("night")).And(is(during("workday"))), none},
		{"windows that leave gaps", is(during("night")).Or(is(during("workday"))), "(window:night) or (window:workday)"},
		{"before and after", before.And(after), none},
		{"before or after", before.Or(after), any},
		{"later implies after", later.And(after), "(after:2026-11-24T13:00:00Z)"},
		{"an hour has no night", after.And(situation.All(situation.Before(noon.Add(time.Hour)))).And(is(during("night"))), none},
		{"a stronger sign-in", is(strong("aal2")).And(is(strong("aal3"))), "(strength:aal3)"},
		{"either sign-in", is(strong("aal2")).Or(is(strong("aal3"))), "(strength:aal2)"},
		{"the weakest is any", is(strong("aal1")), any},
		{"weaker than what is asked", not(strong("aal2")).And(is(strong("aal3"))), none},
		{"ratings apart", is(rated("low", "medium")).And(is(rated("high"))), none},
		{"all ratings", is(rated("low", "medium")).Or(is(rated("high"))), any},
		{"ratings that overlap", is(rated("low", "medium")).And(is(rated("low"))), "(risk:low)"},
		{"properties are independent", is(with("managed")).And(is(with("compliant"))), "(device:compliant and device:managed)"},
		{"more than enough", is(with("managed")).Or(is(with("managed", "compliant"))), "(device:managed)"},
		{"facts are independent", is(in("office")).Or(is(during("night"))), "(network:office) or (window:night)"},
		{"with nothing", situation.Anyway.And(is(in("desk"))), "(network:desk)"},
		{"or anyway", situation.Anyway.Or(is(in("desk"))), any},
		{"or never", situation.Ways{}.Or(is(in("desk"))), "(network:desk)"},
		{"and never", situation.Ways{}.And(is(in("desk"))), none},
	} {
		assert.Equal(t, c.want, c.ways.String(), c.what)
	}
}

// Many ways are given up to 32, and it is said that there are more.
func TestManyWaysAreCut(t *testing.T) {
	var all situation.Ways
	for i := range 40 {
		all = all.Or(situation.All(situation.Other(situation.Need("to:192.0.2." + string(rune('a'+i))))))
	}
	list, more := all.Minimal()
	assert.Len(t, list, 32)
	assert.True(t, more)
	told, needs, more := summit(t).Facts(situation.Situation{}, nil).Told(all)
	assert.Len(t, told, 32)
	assert.Len(t, needs, 32)
	assert.True(t, more)
}

// Between two edges of a week nothing changes that follows from the time, over changes of
// the clock too.
func TestNothingChangesBetweenEdges(t *testing.T) {
	zones := []*time.Location{
		zone(t, "Europe/Berlin"),
		zone(t, "America/Santiago"),
		zone(t, "Australia/Lord_Howe"),
		time.UTC,
	}
	shifts := []time.Time{
		at(t, "2026-03-29T00:00:00Z"),
		at(t, "2026-04-05T00:00:00Z"),
		at(t, "2026-09-06T00:00:00Z"),
		at(t, "2026-10-04T00:00:00Z"),
		at(t, "2026-10-25T00:00:00Z"),
	}
	rapid.Check(t, func(t *rapid.T) {
		f := &situation.Frame{Zone: rapid.SampledFrom(zones).Draw(t, "zone")}
		minute := rapid.Custom(func(t *rapid.T) situation.TimeOfDay {
			return situation.TimeOfDay(rapid.OneOf(rapid.IntRange(0, 5*60), rapid.IntRange(0, 24*60)).Draw(t, "minute"))
		})
		for i := range rapid.IntRange(1, 3).Draw(t, "windows") {
			f.Windows = append(f.Windows, situation.Window{
				Name: string(rune('a' + i)), From: minute.Draw(t, "from"), To: minute.Draw(t, "to"),
				Days: rapid.SliceOfNDistinct(rapid.SampledFrom(everyDay), 1, 7, rapid.ID).Draw(t, "days"),
			})
		}
		start := rapid.SampledFrom(shifts).Draw(t, "shift").AddDate(0, 0, rapid.IntRange(-7, 7).Draw(t, "days later"))
		monday := f.Monday(start)
		require.Equal(t, time.Monday, monday.Weekday())
		require.False(t, monday.After(start))
		other := start.Add(time.Duration(rapid.IntRange(0, 6*24*3600).Draw(t, "other")) * time.Second)
		edges := f.Edges(monday, other)
		require.True(t, slices.IsSortedFunc(edges, time.Time.Compare))
		require.True(t, edges[0].Equal(monday))
		end := edges[len(edges)-1]
		require.Equal(t, []any{time.Monday, 0, 0}, []any{end.Weekday(), end.Hour(), end.Minute()})
		if other.Before(end) {
			require.True(t, slices.ContainsFunc(edges, other.Equal), "another time is an edge")
		}
		for range 20 {
			week := int64(end.Sub(monday) / time.Second)
			moment := monday.Add(
				time.Duration(
					rapid.OneOf(rapid.Int64Range(0, week-1), rapid.Int64Range(week-24*3600, week-18*3600)).Draw(t, "moment"),
				) * time.Second,
			)
			i := slices.IndexFunc(edges, moment.Before) - 1
			for w := range f.Windows {
				require.Equal(
					t,
					f.Windows[w].Contains(edges[i], f.Zone),
					f.Windows[w].Contains(moment, f.Zone),
					"%s at %s as at %s",
					f.Windows[w].Name,
					moment,
					edges[i],
				)
			}
		}
	})
}

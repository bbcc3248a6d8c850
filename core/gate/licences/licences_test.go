package licences_test

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/licences"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func compile(t require.TestingT, d *directory.Document, doc *licences.Document) (*atlas.Atlas, *atlas.System) {
	a, err := atlas.Compile(
		&atlas.Map{Directories: []*directory.Document{d}, Systems: []*gate.System{{Name: "s", Gate: doc}}},
	)
	require.NoError(t, err)
	return a, a.Systems[0]
}

func why(t require.TestingT, a *atlas.Atlas, s *atlas.System, user, feature string, at time.Time) rule.Entitlement {
	u, err := a.Book.FindUser(user, "")
	require.NoError(t, err)
	point, err := s.Gate.At("suite", feature)
	require.NoError(t, err)
	f, err := a.Facts(situation.Situation{At: at})
	require.NoError(t, err)
	return a.Why(u, f, s, point)
}

func TestFeatures(t *testing.T) {
	d := &directory.Document{
		Name:  "d",
		Users: []*directory.User{{Name: "ilse"}, {Name: "teo"}},
		Groups: []*directory.Group{
			{Name: "crew", Members: &directory.Members{Users: nametest.Refs("ilse")}},
			{Name: "science", Members: &directory.Members{Users: nametest.Refs("ilse", "teo")}},
		},
	}
	a, s := compile(t, d, &licences.Document{
		Products: []licences.Product{{Name: place.Text{Value: "suite"}, Features: []licences.Feature{
			{
				Name: "viewer",
			}, {Name: "pipeline"}, {Name: "cluster", Needs: nametest.Refs("pipeline")}, {Name: "farm", Needs: nametest.Refs("cluster")},
			{Name: "egg", Needs: nametest.Refs("hen")}, {Name: "hen", Needs: nametest.Refs("egg")},
		}}},
		Mappings: []licences.Mapping{
			{Who: gate.Who{Groups: nametest.Refs("crew")}, Product: nametest.Refs("suite")[0], Without: nametest.Refs("viewer")},
			{
				Who:     gate.Who{Groups: nametest.Refs("science")},
				Product: nametest.Refs("suite")[0],
				Without: nametest.Refs("pipeline", "hen", "egg"),
			},
			{
				Who:     gate.Who{Users: nametest.Refs("ilse")},
				Product: nametest.Refs("suite")[0],
				Without: nametest.Refs("pipeline", "cluster", "farm"),
			},
		},
	})
	var never time.Time
	assert.Equal(t, rule.Open, why(t, a, s, "ilse", "farm", never).State, "the union over the mappings")
	assert.Equal(
		t,
		rule.Open,
		why(t, a, s, "ilse", "hen", never).State,
		"features that need each other are there together",
	)
	e := why(t, a, s, "teo", "cluster", never)
	assert.Equal(t, []rule.Stop{{Reason: rule.ByFeature, At: "s/product suite", Detail: "pipeline"}}, e.ShutBy)
	assert.Equal(t, rule.Shut, why(t, a, s, "teo", "farm", never).State, "what is needed must itself work")
	e = why(t, a, s, "teo", "pipeline", never)
	assert.Equal(t, rule.None, e.State)
	assert.Equal(t, []rule.Miss{{Mapping: "s/mapping 1", Lacks: []rule.Lack{"group:d/crew"}}}, e.Misses)
	e = why(t, a, s, "ilse", "viewer", never)
	assert.Equal(t, []rule.Route{
		{Mapping: "s/mapping 2", Path: []rule.Hop{{Group: "d/science", How: "direct"}}},
		{Mapping: "s/mapping 3", Direct: true, Path: []rule.Hop{}},
	}, e.Routes)
}

func TestNamesOfProductsAndFeatures(t *testing.T) {
	product := func(n string, features ...string) licences.Product {
		p := licences.Product{Name: place.Text{Value: n}}
		for _, f := range features {
			p.Features = append(p.Features, licences.Feature{Name: f})
		}
		return p
	}
	d := &directory.Document{Name: "d", Users: []*directory.User{{Name: "ilse"}}}
	_, s := compile(t, d, &licences.Document{
		Products: []licences.Product{product("suite", "viewer"), product("planner", "viewer", "queue")},
		Mappings: []licences.Mapping{
			{Who: gate.Who{Everyone: true}, Product: nametest.Refs("suit")[0]},
			{Who: gate.Who{Everyone: true}, Product: nametest.Refs("suite")[0], Without: nametest.Refs("vewer")},
		},
	})
	require.Len(t, s.Site.Findings, 2)
	assert.Contains(t, s.Site.Findings[0].Message, "did you mean suite?")
	assert.Contains(t, s.Site.Findings[1].Message, "did you mean viewer?")

	p, err := s.Gate.At("", "queue")
	require.NoError(t, err)
	assert.Equal(t, "planner", p.Object())
	var needed *rule.ObjectNeededError
	_, err = s.Gate.At("", "viewer")
	require.ErrorAs(t, err, &needed)
	assert.Equal(t, []string{"planner", "suite"}, needed.Objects)
	_, err = s.Gate.At("suit", "viewer")
	assert.ErrorContains(t, err, "did you mean suite?")
	_, err = s.Gate.At("suite", "queue")
	assert.ErrorContains(t, err, `no right "queue"`)
}

// Seats are filled as docs/model.md section 5.2 says: at every point in time by
// those who hold the product then, in order; and without a time the answer
// holds whatever the time is.
func TestSeatsAgreeWithFillingThemOneByOne(t *testing.T) {
	start := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	day := func(n int) time.Time { return start.AddDate(0, 0, n) }
	rapid.Check(t, func(t *rapid.T) {
		seats := rapid.IntRange(0, 4).Draw(t, "seats")
		n := rapid.IntRange(1, 8).Draw(t, "users")
		d := &directory.Document{Name: "d"}
		first, second, direct := directory.Members{}, directory.Members{}, []name.Ref{}
		rank := make([]int, n) // 0 direct, 1 by the first mapping, 2 by the second, 9 none
		ends := make([]int, n) // the day; 0 never
		off := make([]bool, n)
		for i := range n {
			u := &directory.User{Name: fmt.Sprintf("u%d", i)}
			if off[i] = rapid.IntRange(0, 5).Draw(t, "off") == 0; off[i] {
				u.Active = new(bool)
			}
			if ends[i] = rapid.IntRange(0, 5).Draw(t, "ends"); ends[i] > 0 {
				u.Expires.Time = day(ends[i])
			}
			d.Users = append(d.Users, u)
			rank[i] = 9
			if rapid.Bool().Draw(t, "second") {
				second.Users, rank[i] = append(second.Users, nametest.Refs(u.Name)...), 2
			}
			if rapid.Bool().Draw(t, "first") {
				first.Users, rank[i] = append(first.Users, nametest.Refs(u.Name)...), 1
			}
			if rapid.IntRange(0, 3).Draw(t, "direct") == 0 {
				direct = append(direct, nametest.Refs(u.Name)...)
				// A direct holder comes before all others; among these the
				// first mapping that gives it decides, then the name.
				rank[i] -= 10
			}
		}
		d.Groups = []*directory.Group{{Name: "first", Members: &first}, {Name: "second", Members: &second}}
		mappings := []licences.Mapping{
			{Who: gate.Who{Groups: nametest.Refs("first")}, Product: nametest.Refs("suite")[0]},
			{Who: gate.Who{Groups: nametest.Refs("second")}, Product: nametest.Refs("suite")[0]},
		}
		if len(direct) > 0 {
			mappings = append(mappings, licences.Mapping{Who: gate.Who{Users: direct}, Product: nametest.Refs("suite")[0]})
		}
		a, s := compile(t, d, &licences.Document{
			Products: []licences.Product{
				{Name: place.Text{Value: "suite"}, Seats: &seats, Features: []licences.Feature{{Name: "viewer"}}},
			},
			Mappings: mappings,
		})
		states := map[int]map[rule.State]bool{}
		for at := range 7 {
			var queue []int
			for i := range n {
				if rank[i] < 9 && !off[i] && (ends[i] == 0 || at < ends[i]) {
					queue = append(queue, i)
				}
			}
			slices.SortStableFunc(queue, func(x, y int) int { return rank[x] - rank[y] })
			for i := range n {
				want := rule.Shut
				switch p := slices.Index(queue, i); {
				case rank[i] == 9:
					want = rule.None
				case p >= 0 && p < seats:
					want = rule.Open
				}
				got := why(t, a, s, fmt.Sprintf("u%d", i), "viewer", day(at))
				if got.State != want {
					t.Fatalf("u%d on day %d: %v %v, plainly %v", i, at, got.State, got.ShutBy, want)
				}
				if states[i] == nil {
					states[i] = map[rule.State]bool{}
				}
				states[i][want] = true
			}
		}
		for i := range n {
			got := why(t, a, s, fmt.Sprintf("u%d", i), "viewer", time.Time{})
			one := len(states[i]) == 1 && states[i][got.State]
			mixed := got.State == rule.Depends && states[i][rule.Open]
			if !one && !mixed {
				t.Fatalf("u%d with no time: %v %v, but over time %v", i, got.State, got.Needs, states[i])
			}
		}
	})
}

package change_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/licences"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func draw(t *rapid.T) *atlas.Atlas {
	d := &directory.Document{Name: "d"}
	crew := &directory.Members{}
	for _, u := range []string{"ilse", "teo", "rana"} {
		if rapid.IntRange(0, 4).Draw(t, "left") == 0 {
			continue
		}
		user := directory.User{Name: u}
		if rapid.IntRange(0, 3).Draw(t, "off") == 0 {
			user.Active = new(bool)
		}
		d.Users = append(d.Users, &user)
		if rapid.Bool().Draw(t, "member") {
			crew.Users = append(crew.Users, nametest.Refs(u)...)
		}
	}
	d.Groups = []*directory.Group{{Name: "crew", Members: crew}}
	doc := &licences.Document{
		Products: []licences.Product{
			{
				Name:     place.Text{Value: "suite"},
				Features: []licences.Feature{{Name: "a"}, {Name: "b", Needs: nametest.Refs("a")}},
			},
		},
	}
	for range rapid.IntRange(0, 2).Draw(t, "mappings") {
		m := licences.Mapping{
			Product: name.Ref{Name: "suite"},
			Who:     gate.Who{Groups: nametest.Refs("crew"), Everyone: rapid.Bool().Draw(t, "everyone")},
		}
		if rapid.Bool().Draw(t, "without") {
			m.Without = nametest.Refs(rapid.SampledFrom([]string{"a", "b"}).Draw(t, "feature"))
		}
		doc.Mappings = append(doc.Mappings, m)
	}
	behind := []gate.Prerequisite{}
	if rapid.Bool().Draw(t, "behind") {
		behind = append(behind, gate.Prerequisite{When: &situation.When{Device: []situation.Property{"managed"}}})
	}
	a, err := atlas.Compile(&atlas.Map{
		Directories: []*directory.Document{d}, Systems: []*gate.System{{Name: "s", Gate: doc, Behind: behind}},
		Guarantees: []*atlas.Guarantee{
			{
				Name:  "all",
				Every: &gate.Who{Everyone: true},
				Can:   &atlas.What{System: name.Ref{Name: "s"}, Right: gate.Pattern{Text: place.Text{Value: "a"}}},
			},
		},
	})
	require.NoError(t, err)
	return a
}

func outcome(t require.TestingT, a, b *atlas.Atlas) *change.Outcome {
	o, err := change.Maps(a, b, situation.Situation{})
	require.NoError(t, err)
	return o
}

func swapped(list []change.Changed) []change.Changed {
	out := []change.Changed{}
	for _, c := range list {
		out = append(out, change.Changed{User: c.User, Before: c.After, After: c.Before})
	}
	return out
}

// turned are gains as losses of the way back.
func turned(list []change.Held) []change.Held {
	for i := range list {
		list[i].Before, list[i].After = list[i].After, list[i].Before
	}
	return list
}

// What is gained or lost stands on each side as that map decides, and says why.
func TestBothSidesOfWhatIsLost(t *testing.T) {
	shut := 0
	rapid.Check(t, func(t *rapid.T) {
		a, b := draw(t), draw(t)
		o := outcome(t, a, b)
		for i, list := range [][]change.Held{o.Gains, o.Losses} {
			for _, h := range list {
				for m, side := range map[*atlas.Atlas]change.Side{a: h.Before, b: h.After} {
					u, err := m.Book.FindUser(h.User, "")
					if err != nil {
						assert.Equal(t, rule.None, side.State, "nobody has it")
						continue
					}
					s, err := m.System(h.Entitlement.System)
					if err != nil {
						assert.Equal(t, rule.None, side.State)
						continue
					}
					f, err := m.Facts(situation.Situation{})
					require.NoError(t, err)
					e := rule.Entitlement{State: rule.None, OpenIf: side.OpenIf, ShutBy: []rule.Stop{}}
					for _, x := range m.Reach(u, f, s) {
						if x.Object == h.Entitlement.Object && x.Right == h.Entitlement.Right {
							e = x
						}
					}
					assert.Equal(
						t,
						change.Side{State: e.State, OpenIf: e.OpenIf, ShutBy: e.ShutBy},
						side,
						"%s in %s",
						h.User,
						h.Entitlement.System,
					)
				}
				if x := h.Other(); x != nil {
					shut++
					assert.Equal(t, rule.Shut, x.State, "%d", i)
				}
			}
		}
	})
	assert.NotZero(t, shut, "something is shut, and not gone")
}

// A map and itself do not differ, and the way back is the mirror of the way
// there.
func TestDifferencesMirror(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := draw(t), draw(t)
		none := outcome(t, a, a)
		if len(
			none.Gains,
		)+len(
			none.Losses,
		)+len(
			none.Changes,
		)+len(
			none.Findings.New,
		)+len(
			none.Findings.Gone,
		)+len(
			none.Guarantees.Broken,
		)+len(
			none.Guarantees.Mended,
		) != 0 {
			t.Fatalf("a map differs from itself: %+v", none)
		}
		there, back := outcome(t, a, b), outcome(t, b, a)
		assert.Equal(t, there.Gains, turned(back.Losses))
		assert.Equal(t, there.Losses, turned(back.Gains))
		assert.Equal(t, there.Changes, swapped(back.Changes))
		assert.Equal(t, there.Findings.New, back.Findings.Gone)
		assert.Equal(t, there.Guarantees.Broken, back.Guarantees.Mended)
		assert.Equal(t, there.Guarantees.Mended, back.Guarantees.Broken)
	})
}

// Comparing two people tells everything that each holds, once.
func TestComparingLeavesNothingOut(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a := draw(t)
		if a.Book.Users() < 2 {
			return
		}
		f, err := a.Facts(situation.Situation{})
		require.NoError(t, err)
		c := change.People(a, 0, 1, f)
		one, two := len(a.Reach(0, f, nil)), len(a.Reach(1, f, nil))
		if len(c.OnlyFirst)+len(c.Both)+len(c.Differ) != one || len(c.OnlySecond)+len(c.Both)+len(c.Differ) != two {
			t.Fatalf("%+v of %d and %d", c, one, two)
		}
	})
}

// A finding is not new because its line has another number.
func TestFindingsAreComparedByWhatTheyAreAbout(t *testing.T) {
	compiled := func(groups ...string) *atlas.Atlas {
		doc := &licences.Document{Products: []licences.Product{{Name: place.Text{Value: "suite"}}}}
		for _, g := range groups {
			doc.Mappings = append(
				doc.Mappings,
				licences.Mapping{Product: name.Ref{Name: "suite"}, Who: gate.Who{Groups: nametest.Refs(g)}},
			)
		}
		a, err := atlas.Compile(&atlas.Map{
			Directories: []*directory.Document{{Name: "d", Groups: []*directory.Group{{Name: "crew"}}}},
			Systems:     []*gate.System{{Name: "s", Gate: doc}},
		})
		require.NoError(t, err)
		return a
	}
	errors := func(turned change.TurnedFindings) (names [][]string) {
		for _, f := range turned.Errors() {
			names = append(names, f.Names)
		}
		return names
	}
	for _, c := range []struct {
		before, after []string
		errors        [][]string
	}{
		{[]string{"crew", "lost"}, []string{"lost"}, nil},
		{[]string{"lost"}, []string{"crew", "crew", "lost"}, nil},
		{[]string{"crew", "lost"}, []string{"lost", "lost"}, [][]string{{"lost"}}},
		{[]string{"crew", "lost"}, []string{"gone", "lost"}, [][]string{{"gone"}}},
		{[]string{"lost", "gone"}, []string{"gone", "lost"}, nil},
		{[]string{"crew", "crew"}, []string{"lost"}, [][]string{{"lost"}}},
	} {
		o := outcome(t, compiled(c.before...), compiled(c.after...))
		assert.Equal(t, c.errors, errors(o.Findings), "%v → %v", c.before, c.after)
	}
}

package app_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/app"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func compile(t require.TestingT, doc *app.Document) (*atlas.Atlas, *atlas.System) {
	d := &directory.Document{Name: "d", Users: []*directory.User{{Name: "ilse"}}, Groups: []*directory.Group{
		{Name: "crew", Members: &directory.Members{Users: []name.Ref{{Name: "ilse"}}}}, {Name: "others"},
	}}
	a, err := atlas.Compile(
		&atlas.Map{Directories: []*directory.Document{d}, Systems: []*gate.System{{Name: "s", Gate: doc}}},
	)
	require.NoError(t, err)
	return a, a.Systems[0]
}

var breadths = []app.Breadth{"none", "own", "team", "all"}

// plain takes the widest or the narrowest opinion with every fact known.
func plain(doc *app.Document, action string, risk situation.Risk) (rule.State, string) {
	least, most, asked, wide := 9, -1, false, false
	for _, m := range doc.Mappings {
		b, ok := doc.Roles[m.Role.Name]["m"][action]
		if !ok || m.Groups[0].Name != "crew" {
			continue
		}
		width := slices.Index(breadths, b)
		wide = wide || width > 0
		if m.When == nil || slices.Contains(m.When.Risk, risk) {
			asked = true
			least, most = min(least, width), max(most, width)
		}
	}
	width := most
	if doc.Merge == "narrowest" {
		width = least
	}
	switch {
	case !wide:
		return rule.None, ""
	case !asked || width <= 0:
		return rule.Shut, ""
	}
	return rule.Open, string(breadths[width])
}

func TestOpinionsAgreeWithTakingThemOneByOne(t *testing.T) {
	risks := []situation.Risk{"low", "medium", "high"}
	rapid.Check(t, func(t *rapid.T) {
		doc := &app.Document{
			Modules: map[string][]place.Text{
				"m": {{Value: "view"}, {Value: "edit"}},
			}, Roles: map[string]map[string]app.Actions{},
			Merge: rapid.SampledFrom([]app.Merge{"", "widest", "narrowest"}).Draw(t, "merge"),
		}
		for i := range rapid.IntRange(0, 4).Draw(t, "mappings") {
			role := fmt.Sprintf("r%d", i)
			doc.Roles[role] = map[string]app.Actions{"m": {}}
			for _, action := range []string{"view", "edit"} {
				if rapid.Bool().Draw(t, "says") {
					doc.Roles[role]["m"][action] = rapid.SampledFrom(breadths).Draw(t, "breadth")
				}
			}
			m := app.Mapping{Role: name.Ref{Name: role}}
			m.Groups = []name.Ref{{Name: rapid.SampledFrom([]string{"crew", "crew", "others"}).Draw(t, "group")}}
			if rapid.Bool().Draw(t, "when") {
				m.When = &situation.When{Risk: []situation.Risk{rapid.SampledFrom(risks).Draw(t, "risk")}}
			}
			doc.Mappings = append(doc.Mappings, m)
		}
		a, s := compile(t, doc)
		ask := func(action string, risk situation.Risk) rule.Entitlement {
			p, err := s.Gate.At("m", action)
			require.NoError(t, err)
			f, err := a.Facts(situation.Situation{Risk: risk})
			require.NoError(t, err)
			return a.Why(0, f, s, p)
		}
		for _, action := range []string{"view", "edit"} {
			partial := ask(action, "")
			for _, risk := range risks {
				want, breadth := plain(doc, action, risk)
				got := ask(action, risk)
				if got.State != want || got.Breadth != breadth {
					t.Fatalf("%s at risk %s: %v %s %v, plainly %v %s", action, risk, got.State, got.Breadth, got.ShutBy, want, breadth)
				}
				if partial.State != rule.Depends && partial.State != want {
					t.Fatalf("%s: %v with the risk unknown, %v at %s", action, partial.State, want, risk)
				}
				if partial.State == rule.Open &&
					slices.Index(breadths, app.Breadth(partial.Breadth)) > slices.Index(breadths, app.Breadth(breadth)) {
					t.Fatalf(
						"%s: goes as far as %s with the risk unknown, but only as far as %s at %s",
						action,
						partial.Breadth,
						breadth,
						risk,
					)
				}
			}
		}
	})
}

func TestNamesAndFindings(t *testing.T) {
	_, s := compile(t, &app.Document{
		Modules:  map[string][]place.Text{"proposal": {{Value: "view"}}, "schedule": {{Value: "view"}, {Value: "edit"}}},
		Roles:    map[string]map[string]app.Actions{"r": {"proposal": {"veiw": "all"}, "schedul": {"edit": "all"}}},
		Mappings: []app.Mapping{{Who: gate.Who{Everyone: true}, Role: name.Ref{Name: "rr"}}},
	})
	var got []string
	for _, f := range s.Site.Findings {
		got = append(got, fmt.Sprintf("%s %s", f.Code, f.Names))
	}
	assert.Equal(t, []string{"unknown-right [veiw]", "unknown-name [schedul]", "unknown-name [rr]"}, got)
	p, err := s.Gate.At("", "edit")
	require.NoError(t, err)
	assert.Equal(t, "schedule", p.Object())
	for _, bad := range [][2]string{{"", "view"}, {"", "fly"}, {"proposals", "view"}, {"proposal", "edit"}} {
		_, err := s.Gate.At(bad[0], bad[1])
		assert.Error(t, err, bad)
	}
}

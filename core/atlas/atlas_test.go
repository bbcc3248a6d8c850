package atlas_test

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/licences"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

func ref(n string) name.Ref { return name.Ref{Name: n} }

// planner gives one feature to everyone.
func planner() *licences.Document {
	return &licences.Document{
		Products: []licences.Product{{Name: place.Text{Value: "planner"}, Features: []licences.Feature{{Name: "calendar"}}}},
		Mappings: []licences.Mapping{{Who: gate.Who{Everyone: true}, Product: ref("planner")}},
	}
}

func season(t require.TestingT) *atlas.Map {
	end, err := time.Parse(time.RFC3339, "2026-12-31T00:00:00Z")
	require.NoError(t, err)
	d := &directory.Document{Name: "d", Users: []*directory.User{
		{Name: "ilse"}, {Name: "noor", Active: new(bool)}, {Name: "vic", Expires: directory.Instant{Time: end}},
		{Name: "gone", Active: new(bool), Expires: directory.Instant{Time: end}},
	}, Devices: []*directory.Device{{Name: "console", Managed: new(true)}}}
	for i := range d.Users[:3] {
		require.NoError(t, d.Users[i].Attributes.Set("emails", "x@cindervale.example"))
	}
	return &atlas.Map{
		Title:       "Cindervale Observatory",
		Networks:    []situation.Network{{Name: "office", Prefixes: []netip.Prefix{netip.MustParsePrefix("203.0.113.0/24")}}},
		Directories: []*directory.Document{d},
		Systems:     []*gate.System{{Name: "tools", Requires: []string{"emails"}, Gate: planner()}},
	}
}

func state(t *testing.T, m *atlas.Map, user string, s situation.Situation) string {
	t.Helper()
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	u, err := a.Book.FindUser(user, "")
	require.NoError(t, err)
	f, err := a.Facts(s)
	require.NoError(t, err)
	list := a.Reach(u, f, nil)
	require.Len(t, list, 1)
	text := list[0].State.String()
	for _, n := range list[0].Needs {
		text += " " + string(n)
	}
	for _, stop := range list[0].ShutBy {
		text += fmt.Sprintf(" %s(%s %s)", stop.Reason, stop.At, stop.Detail)
	}
	return text
}

func TestAccounts(t *testing.T) {
	before, _ := time.Parse(time.RFC3339, "2026-12-30T23:59:59Z")
	for _, c := range []struct {
		user string
		at   time.Time
		want string
	}{
		{"ilse", time.Time{}, "open"},
		{"noor", time.Time{}, "shut inactive(d/noor )"},
		{"vic", time.Time{}, "depends before:2026-12-31T00:00:00Z"},
		{"vic", before, "open"},
		{"vic", before.Add(time.Second), "shut expired(d/vic 2026-12-31T00:00:00Z)"},
		{"gone", before, "shut inactive(d/gone ) prerequisite(tools/requires emails)"},
		{"gone", before.Add(time.Second), "shut inactive(d/gone ) expired(d/gone 2026-12-31T00:00:00Z) prerequisite(tools/requires emails)"},
	} {
		assert.Equal(t, c.want, state(t, season(t), c.user, situation.Situation{At: c.at}), "%s at %s", c.user, c.at)
	}
}

func TestWhatStandsInFront(t *testing.T) {
	m := season(t)
	office := gate.Prerequisite{When: &situation.When{Networks: []name.Ref{ref("office")}}}
	m.Systems[0].Behind = []gate.Prerequisite{
		{Any: []gate.Prerequisite{office, {When: &situation.When{Device: []situation.Property{"managed"}}}}},
	}
	assert.Equal(t, "depends device:managed network:office", state(t, m, "ilse", situation.Situation{}))
	assert.Equal(t, "open", state(t, m, "ilse", situation.Situation{DeviceName: "console"}))
	away := situation.Situation{From: netip.MustParseAddr("192.0.2.1"), Device: &situation.Properties{}}
	assert.Equal(
		t,
		"shut gate(tools/behind 1.1 network:office) gate(tools/behind 1.2 device:managed)",
		state(t, m, "ilse", away),
	)
	m.Systems[0].Behind = []gate.Prerequisite{{When: &situation.When{Networks: []name.Ref{ref("ofice")}}}}
	assert.Contains(t, state(t, m, "ilse", situation.Situation{}), "shut gate", "a misspelt name lets nobody through")
}

func TestReasonsOfTheLowestStateAreKept(t *testing.T) {
	m := season(t)
	m.Systems[0].Behind = []gate.Prerequisite{{When: &situation.When{Networks: []name.Ref{ref("office")}}}}
	away := situation.Situation{From: netip.MustParseAddr("192.0.2.1")}
	assert.Equal(t, "shut inactive(d/noor ) gate(tools/behind 1 network:office)", state(t, m, "noor", away))
	assert.Equal(t, "shut gate(tools/behind 1 network:office)", state(t, m, "vic", away))
}

func TestLookups(t *testing.T) {
	a, err := atlas.Compile(season(t))
	require.NoError(t, err)
	_, err = a.System("TOOLS")
	assert.NoError(t, err)
	_, err = a.System("tolls")
	assert.ErrorContains(t, err, "did you mean tools?")
	_, err = a.Facts(situation.Situation{DeviceName: "konsole"})
	assert.ErrorContains(t, err, "did you mean console?")
}

func TestSystemsOfOneName(t *testing.T) {
	m := season(t)
	m.Systems = append(
		m.Systems,
		&gate.System{Name: "Tools", Gate: planner()},
		&gate.System{Name: "a/b", Gate: planner()},
		&gate.System{Name: "x", Directory: ref("e"), Gate: planner()},
	)
	_, err := atlas.Compile(m)
	assert.ErrorContains(t, err, "is in the map twice")
	assert.ErrorContains(t, err, "no slash")
}

func ExampleCompile() {
	d := &directory.Document{Name: "cindervale", Users: []*directory.User{{Name: "ilse.okonjo"}}}
	a, err := atlas.Compile(&atlas.Map{
		Directories: []*directory.Document{d},
		Systems:     []*gate.System{{Name: "sky-tools", Gate: planner()}},
	})
	if err != nil {
		panic(err)
	}
	facts, _ := a.Facts(situation.Situation{})
	for _, e := range a.Reach(0, facts, nil) {
		fmt.Println(e.System, e.Object, e.Right, e.State)
	}
	// Output: sky-tools planner calendar open
}

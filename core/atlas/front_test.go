package atlas_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/gate"
	"gatemap/core/gate/network"
	"gatemap/core/gate/signin"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// chain is a planner behind some of: a sign-in that asks for aal2, a network that
// admits managed devices, and the office.
func chain(t require.TestingT, front []gate.Prerequisite) *atlas.Atlas {
	m := season(t)
	m.Systems = []*gate.System{
		{Name: "planner", Behind: front, Gate: planner()},
		{Name: "door", Type: name.Ref{Name: "signin"}, Gate: &signin.Document{Policies: []signin.Policy{
			{
				Name: "strong",
				Who:  gate.Who{Everyone: true},
				Apps: []name.Ref{{Name: "all"}},
				Then: signin.Then{Require: []signin.Requirement{"aal2"}},
			},
		}}},
		{Name: "vpn", Type: name.Ref{Name: "network"}, Gate: &network.Document{Policies: []network.Policy{
			{
				Name:    "managed",
				Who:     gate.Who{Everyone: true},
				Verdict: "admit",
				When:    &situation.When{Device: []situation.Property{"managed"}},
			},
		}}},
	}
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	return a
}

// The state behind gates is the lowest of all that must be passed, and the
// highest of alternatives, step by step.
func TestWhatStandsInFrontAgreesWithAskingStepByStep(t *testing.T) {
	single := map[string]gate.Prerequisite{
		"door":   {Gate: gate.Passage{"signin": "door"}},
		"vpn":    {Gate: gate.Passage{"network": "vpn", "access": "vpn"}},
		"office": {When: &situation.When{Networks: []name.Ref{ref("office")}}},
	}
	names := []string{"door", "vpn", "office"}
	rapid.Check(t, func(t *rapid.T) {
		all := rapid.SliceOfNDistinct(rapid.SampledFrom(names), 0, 3, rapid.ID).Draw(t, "all")
		either := rapid.SliceOfNDistinct(rapid.SampledFrom(names), 0, 3, rapid.ID).Draw(t, "either")
		var front []gate.Prerequisite
		for _, n := range all {
			front = append(front, single[n])
		}
		if len(either) > 0 {
			var list []gate.Prerequisite
			for _, n := range either {
				list = append(list, single[n])
			}
			front = append(front, gate.Prerequisite{Any: list})
		}
		given := situation.Situation{
			Strength: rapid.SampledFrom([]situation.Strength{"", "aal1", "aal2"}).Draw(t, "strength"),
		}
		step := map[string]rule.State{
			"door": map[situation.Strength]rule.State{"": rule.Depends, "aal1": rule.Shut, "aal2": rule.Open}[given.Strength],
		}
		step["vpn"], step["office"] = rule.Depends, rule.Depends
		if rapid.Bool().Draw(t, "device known") {
			given.Device = &situation.Properties{Managed: rapid.Bool().Draw(t, "managed")}
			step["vpn"] = map[bool]rule.State{true: rule.Open, false: rule.Shut}[given.Device.Managed]
		}
		given.Access = rapid.SampledFrom([]situation.Access{"", "vpn", "wired"}).Draw(t, "access")
		step["vpn"] = min(
			step["vpn"],
			map[situation.Access]rule.State{"": rule.Depends, "vpn": rule.Open, "wired": rule.Shut}[given.Access],
		)
		if rapid.Bool().Draw(t, "address known") {
			inside := rapid.Bool().Draw(t, "inside")
			given.From = netip.MustParseAddr(map[bool]string{true: "203.0.113.1", false: "192.0.2.1"}[inside])
			step["office"] = map[bool]rule.State{true: rule.Open, false: rule.Shut}[inside]
		}
		want := rule.Open
		for _, n := range all {
			want = min(want, step[n])
		}
		if len(either) > 0 {
			best := rule.Shut
			for _, n := range either {
				best = max(best, step[n])
			}
			want = min(want, best)
		}
		a := chain(t, front)
		f, err := a.Facts(given)
		require.NoError(t, err)
		u, err := a.Book.FindUser("ilse", "")
		require.NoError(t, err)
		s, err := a.System("planner")
		require.NoError(t, err)
		got := a.Reach(u, f, s)
		if len(got) != 1 || got[0].State != want {
			t.Fatalf("%v behind all of %v and one of %v: %v, step by step %v", given.Facts(), all, either, got, want)
		}
	})
}

func TestFrontsThatAreWrong(t *testing.T) {
	try := func(fronts ...gate.Prerequisite) error {
		m := season(t)
		m.Systems[0].Behind = fronts
		m.Systems = append(
			m.Systems,
			&gate.System{
				Name:   "door",
				Type:   ref("signin"),
				Behind: []gate.Prerequisite{{Gate: gate.Passage{"signin": "gatehouse"}}},
				Gate:   &signin.Document{},
			},
			&gate.System{Name: "gatehouse", Type: ref("signin"), Gate: &signin.Document{}},
			&gate.System{Name: "other", Type: ref("licences"), Gate: planner()},
		)
		_, err := atlas.Compile(m)
		return err
	}
	assert.NoError(t, try(gate.Prerequisite{Gate: gate.Passage{"signin": "door"}}))
	assert.NoError(
		t,
		try(gate.Prerequisite{Gate: gate.Passage{"signin": "dor"}}),
		"a name that leads to nothing is a finding",
	)
	assert.ErrorContains(t, try(gate.Prerequisite{}), "is one thing")
	assert.ErrorContains(t, try(gate.Prerequisite{Gate: gate.Passage{"signing": "door"}}), "TYPE: SYSTEM")
	assert.ErrorContains(t, try(gate.Prerequisite{Gate: gate.Passage{"signin": "door", "access": "vpn"}}), "behind door:")
	assert.ErrorContains(t, try(gate.Prerequisite{Gate: gate.Passage{"licences": "other"}}), "cannot be in front")

	m := season(t)
	m.Systems = []*gate.System{
		{
			Name:   "a",
			Type:   ref("signin"),
			Behind: []gate.Prerequisite{{Any: []gate.Prerequisite{{Gate: gate.Passage{"signin": "b"}}}}},
			Gate:   &signin.Document{},
		},
		{
			Name:   "b",
			Type:   ref("signin"),
			Behind: []gate.Prerequisite{{Gate: gate.Passage{"signin": "c"}}},
			Gate:   &signin.Document{},
		},
		{
			Name:   "c",
			Type:   ref("signin"),
			Behind: []gate.Prerequisite{{Gate: gate.Passage{"signin": "b"}}},
			Gate:   &signin.Document{},
		},
	}
	_, err := atlas.Compile(m)
	assert.ErrorContains(t, err, "circle: b → c → b")
}

package signin_test

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
	"gatemap/core/gate/signin"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// compile puts a door in front of a system that is a door itself.
func compile(t require.TestingT, doc *signin.Document) (*atlas.Atlas, *atlas.System) {
	d := &directory.Document{Name: "d", Users: []*directory.User{{Name: "ilse"}}, Groups: []*directory.Group{
		{Name: "crew", Members: &directory.Members{Users: nametest.Refs("ilse")}}, {Name: "others"},
	}}
	a, err := atlas.Compile(&atlas.Map{Directories: []*directory.Document{d}, Systems: []*gate.System{
		{Name: "door", Type: name.Ref{Name: "signin"}, Gate: doc},
		{
			Name:   "ledger",
			Type:   name.Ref{Name: "signin"},
			Behind: []gate.Prerequisite{{Gate: gate.Passage{"signin": "door"}}},
			Gate:   &signin.Document{},
		},
	}})
	require.NoError(t, err)
	return a, a.Systems[0]
}

type facts struct{ strength, device, risk string }

func ask(t require.TestingT, a *atlas.Atlas, s *atlas.System, app string, f facts) rule.Entitlement {
	given, err := situation.Parse(func(field string) string {
		return map[string]string{"strength": f.strength, "device": f.device, "risk": f.risk}[field]
	})
	require.NoError(t, err)
	p, err := s.Gate.At(app, "sign-in")
	require.NoError(t, err)
	known, err := a.Facts(given)
	require.NoError(t, err)
	return a.Why(0, known, s, p)
}

// plain applies the policies one by one with every fact known.
func plain(doc *signin.Document, app string, f facts) rule.State {
	shut, let, would := false, false, false
	for _, p := range doc.Policies {
		concerns := slices.ContainsFunc(p.Apps, func(r name.Ref) bool { return r.Name == "all" || r.Name == app })
		if p.Mode != "" && p.Mode != "enforced" || !concerns || p.Groups[0].Name != "crew" {
			continue
		}
		would = would || !p.Then.Block
		if p.When != nil && !slices.Contains(p.When.Risk, situation.Risk(f.risk)) {
			continue
		}
		let = let || !p.Then.Block
		shut = shut || p.Then.Block
		for _, r := range p.Then.Require {
			met := map[signin.Requirement]bool{
				"aal2": f.strength != "aal1", "aal3": f.strength == "aal3", "managed-device": f.device == "managed", "compliant-device": f.device == "compliant",
			}[r]
			shut = shut || !met
		}
	}
	switch {
	case doc.Default == "block" && !would:
		return rule.None
	case shut || doc.Default == "block" && !let:
		return rule.Shut
	}
	return rule.Open
}

func TestPoliciesAgreeWithApplyingThemOneByOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc := &signin.Document{Default: rapid.SampledFrom([]signin.Default{"", "allow", "block"}).Draw(t, "default")}
		for i := range rapid.IntRange(0, 4).Draw(t, "policies") {
			p := signin.Policy{
				Name: fmt.Sprintf("p%d", i),
				Apps: nametest.Refs(rapid.SampledFrom([]string{"all", "ledger", "door"}).Draw(t, "app")),
			}
			p.Groups = nametest.Refs(rapid.SampledFrom([]string{"crew", "crew", "others"}).Draw(t, "group"))
			p.Mode = rapid.SampledFrom([]signin.Mode{"", "enforced", "watch", "disabled"}).Draw(t, "mode")
			if rapid.Bool().Draw(t, "when") {
				p.When = &situation.When{
					Risk: []situation.Risk{situation.Risk(rapid.SampledFrom([]string{"low", "high"}).Draw(t, "risk"))},
				}
			}
			if p.Then.Block = rapid.IntRange(0, 2).Draw(t, "block") == 0; !p.Then.Block {
				p.Then.Require = rapid.SliceOfN(rapid.SampledFrom([]signin.Requirement{"aal2", "aal3", "managed-device", "compliant-device"}), 1, 2).
					Draw(t, "require")
			}
			doc.Policies = append(doc.Policies, p)
		}
		a, s := compile(t, doc)
		some := facts{
			rapid.SampledFrom([]string{"", "aal1", "aal3"}).
				Draw(t, "strength"),
			rapid.SampledFrom([]string{"", "none", "managed", "compliant"}).Draw(t, "device"),
			rapid.SampledFrom([]string{"", "low", "high"}).Draw(t, "risk"),
		}
		partial := ask(t, a, s, "ledger", some)
		for _, strength := range []string{"aal1", "aal2", "aal3"} {
			for _, device := range []string{"none", "managed", "compliant"} {
				for _, risk := range []string{"low", "high"} {
					f := facts{strength, device, risk}
					want := plain(doc, "ledger", f)
					if got := ask(t, a, s, "ledger", f); got.State != want {
						t.Fatalf("%v: %v %v, plainly %v", f, got.State, got.ShutBy, want)
					}
					fits := (some.strength == "" || some.strength == strength) && (some.device == "" || some.device == device) &&
						(some.risk == "" || some.risk == risk)
					if fits && partial.State != rule.Depends && partial.State != want {
						t.Fatalf("%v with %v, but %v with %v", partial.State, some, want, f)
					}
				}
			}
		}
	})
}

func TestWatchedPoliciesAreReportedAndChangeNothing(t *testing.T) {
	watched := signin.Policy{
		Name: "risky",
		Who:  gate.Who{Everyone: true},
		Apps: nametest.Refs("all"),
		When: &situation.When{Risk: []situation.Risk{"high"}},
		Then: signin.Then{Block: true},
		Mode: "watch",
	}
	a, s := compile(t, &signin.Document{Policies: []signin.Policy{watched}})
	e := ask(t, a, s, "ledger", facts{risk: "high"})
	assert.Equal(t, rule.Open, e.State)
	assert.Equal(t, []rule.Watch{{Policy: "door/risky", Would: "block", State: rule.Shut}}, e.Watch)
	assert.Empty(t, ask(t, a, s, "ledger", facts{risk: "low"}).Watch)
}

func TestNames(t *testing.T) {
	_, s := compile(
		t,
		&signin.Document{
			Policies: []signin.Policy{
				{Name: "p", Who: gate.Who{Everyone: true}, Apps: nametest.Refs("lodger"), Then: signin.Then{Block: true}},
			},
		},
	)
	require.Len(t, s.Site.Findings, 1)
	assert.Contains(t, s.Site.Findings[0].Message, "did you mean ledger?")
	var then signin.Then
	assert.Error(t, then.UnmarshalText([]byte("stop")))
	for _, bad := range [][2]string{{"lodger", "sign-in"}, {"ledger", "login"}, {"", "sign-in"}} {
		_, err := s.Gate.At(bad[0], bad[1])
		assert.Error(t, err, bad)
	}
}

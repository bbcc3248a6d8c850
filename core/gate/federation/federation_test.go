package federation_test

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/gate/federation"
	"gatemap/core/gate/licences"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

var groups = []string{"cloud-operator", "cloud-viewer", "suspended"}

func world(member [3]bool, mail bool) *directory.Document {
	u := &directory.User{Name: "ilse"}
	if mail {
		_ = u.Attributes.Set("emails", []any{"ilse@cindervale.example", "i@ridge.example"})
	}
	d := &directory.Document{
		Name:  "d",
		Users: []*directory.User{u},
		Groups: []*directory.Group{
			{Name: "cloud-list", Kind: "mail", Members: &directory.Members{Users: nametest.Refs("ilse")}},
		},
	}
	for g, n := range groups {
		m := &directory.Members{}
		if member[g] {
			m.Users = nametest.Refs("ilse")
		}
		d.Groups = append(d.Groups, &directory.Group{Name: n, Members: m})
	}
	return d
}

// compile makes a federation, and a planner that looks at a claim of it.
func compile(t require.TestingT, d *directory.Document, doc *federation.Document) (*atlas.Atlas, *atlas.System) {
	planner := &licences.Document{
		Products: []licences.Product{{Name: place.Text{Value: "planner"}, Features: []licences.Feature{{Name: "calendar"}}}},
		Mappings: []licences.Mapping{{Product: name.Ref{Name: "planner"}, Who: gate.Who{
			Claims: []gate.ClaimRef{{Party: name.Ref{Name: "link/compute"}, Claim: "role", Is: "c/operator"}},
		}}},
	}
	a, err := atlas.Compile(&atlas.Map{Directories: []*directory.Document{d}, Systems: []*gate.System{
		{Name: "link", Gate: doc}, {Name: "a-planner", Gate: planner}, // compiled before what it looks at
	}})
	require.NoError(t, err)
	link, err := a.System("link")
	require.NoError(t, err)
	return a, link
}

func ask(t require.TestingT, a *atlas.Atlas, s *atlas.System, object, right string) rule.Entitlement {
	p, err := s.Gate.At(object, right)
	require.NoError(t, err)
	f, err := a.Facts(situation.Situation{})
	require.NoError(t, err)
	return a.Why(0, f, s, p)
}

func pattern(s string) federation.Expression {
	return federation.Expression{Regexp: regexp.MustCompile(s)}
}

func claims() []federation.Claim {
	return []federation.Claim{
		{Claim: "mail", From: "emails"},
		{Claim: "role", FromGroups: true, Pattern: pattern(`^cloud-(?P<role>[a-z]+)$`), Value: "c/${role}"},
		{Claim: "group", FromGroups: true, Matching: federation.Glob{Text: place.Text{Value: "cloud-*"}}},
		{Claim: "tier", Value: "gold", Who: gate.Who{Groups: nametest.Refs("cloud-operator")}},
	}
}

func TestClaims(t *testing.T) {
	yes := "@cindervale.example"
	a, s := compile(t, world([3]bool{true, true, false}, true), &federation.Document{Parties: []federation.Party{
		{
			Party:  place.Text{Value: "compute"},
			Claims: claims(),
			Admit:  []federation.Statement{{Permit: &federation.Test{Claim: "mail", Ends: &yes}}},
		},
	}})
	e := ask(t, a, s, "compute", "sign-in")
	assert.Equal(t, rule.Open, e.State)
	assert.Equal(t, map[string][]string{
		"mail": {"i@ridge.example", "ilse@cindervale.example"}, "role": {"c/operator", "c/viewer"},
		"group": {"cloud-operator", "cloud-viewer"}, "tier": {"gold"},
	}, e.Claims, "a mail group is no claim")
	assert.Equal(t, rule.None, ask(t, a, s, "compute", "claim role=c/list").State)
	assert.Empty(t, ask(t, a, s, "", "claim group=suspended").Misses, "no group that matches gives it")
	planner, err := a.System("a-planner")
	require.NoError(t, err)
	assert.Equal(t, rule.Open, ask(t, a, planner, "planner", "calendar").State)
	for _, bad := range [][2]string{{"compote", "sign-in"}, {"compute", "signin"}, {"compute", "claim rule=x"}, {"compute", "claim role"}} {
		_, err := s.Gate.At(bad[0], bad[1])
		assert.Error(t, err, bad)
	}
}

// Who is let in, and what other systems make of the claims, is what evaluating
// the statements step by step says.
func TestAdmissionAgreesWithEvaluatingStepByStep(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var member [3]bool
		for g := range member {
			member[g] = rapid.Bool().Draw(t, "member")
		}
		mail := rapid.Bool().Draw(t, "mail")
		party := federation.Party{
			Party:   place.Text{Value: "compute"},
			Claims:  claims(),
			Default: rapid.SampledFrom([]federation.Action{"", "permit", "refuse"}).Draw(t, "default"),
		}
		have := map[string][]string{}
		if mail {
			have["mail"] = []string{"ilse@cindervale.example", "i@ridge.example"}
		}
		for g, n := range groups {
			if role, ok := strings.CutPrefix(n, "cloud-"); ok && member[g] {
				have["role"] = append(have["role"], "c/"+role)
			}
		}
		permitted, refused := false, false
		for range rapid.IntRange(0, 4).Draw(t, "statements") {
			var test federation.Test
			holds := false
			switch rapid.IntRange(0, 3).Draw(t, "kind") {
			case 0:
				end := rapid.SampledFrom([]string{"@cindervale.example", "@nowhere.example"}).Draw(t, "end")
				test = federation.Test{Claim: "mail", Ends: &end}
				holds = slices.ContainsFunc(have["mail"], func(v string) bool { return strings.HasSuffix(v, end) })
			case 1:
				is := rapid.SampledFrom([]string{"c/operator", "c/viewer", "c/list"}).Draw(t, "is")
				test = federation.Test{Claim: "role", Is: &is}
				holds = slices.Contains(have["role"], is)
			case 2:
				start := rapid.SampledFrom([]string{"c/", "d/"}).Draw(t, "start")
				test = federation.Test{Claim: "role", Starts: &start}
				holds = slices.ContainsFunc(have["role"], func(v string) bool { return strings.HasPrefix(v, start) })
			default:
				g := rapid.IntRange(0, 2).Draw(t, "group")
				test = federation.Test{Who: gate.Who{Groups: nametest.Refs(groups[g])}}
				holds = member[g]
			}
			if rapid.Bool().Draw(t, "permit") {
				party.Admit = append(party.Admit, federation.Statement{Permit: &test})
				permitted = permitted || holds
			} else {
				party.Admit = append(party.Admit, federation.Statement{Refuse: &test})
				refused = refused || holds
			}
		}
		would := permitted || party.Default == "permit"
		want := rule.Open
		switch {
		case !would:
			want = rule.None
		case refused:
			want = rule.Shut
		}
		a, s := compile(t, world(member, mail), &federation.Document{Parties: []federation.Party{party}})
		if got := ask(t, a, s, "compute", "sign-in"); got.State != want {
			t.Fatalf("sign-in is %v %v, step by step %v", got.State, got.ShutBy, want)
		}
		for _, v := range []string{"c/operator", "c/viewer", "c/list"} {
			claim := rule.None
			if slices.Contains(have["role"], v) {
				claim = rule.Shut
				if want == rule.Open {
					claim = rule.Open
				}
			}
			if got := ask(t, a, s, "compute", "claim role="+v); got.State != claim {
				t.Fatalf("role=%s is %v, step by step %v", v, got.State, claim)
			}
		}
		planner, err := a.System("a-planner")
		require.NoError(t, err)
		opens := want == rule.Open && slices.Contains(have["role"], "c/operator")
		if got := ask(t, a, planner, "planner", "calendar"); (got.State == rule.Open) != opens {
			t.Fatalf("the planner is %v, but the claim holds: %v", got.State, opens)
		}
	})
}

func TestLinesThatRepeatAnotherAreReported(t *testing.T) {
	value := func(s string) *string { return &s }
	permit := func(test federation.Test) federation.Statement { return federation.Statement{Permit: &test} }
	party := federation.Party{Party: place.Text{Value: "compute"}, Claims: []federation.Claim{
		{Claim: "tier", Value: "gold", Who: gate.Who{Groups: nametest.Refs("cloud-viewer")}},
		{Claim: "tier", Value: "gold"},
		{Claim: "group", FromGroups: true, Pattern: federation.Expression{Regexp: regexp.MustCompile("^cloud-")}},
		{Claim: "group", FromGroups: true, Pattern: federation.Expression{Regexp: regexp.MustCompile("^cloud-o")}},
		{Claim: "group", FromGroups: true, Pattern: federation.Expression{Regexp: regexp.MustCompile("^cloud-")}},
		{Claim: "mail", From: "emails"}, {Claim: "post", From: "emails"}, {Claim: "mail", From: "EMAILS"},
	}, Admit: []federation.Statement{
		permit(federation.Test{Claim: "tier", Starts: value("go")}),
		permit(federation.Test{Claim: "tier", Is: value("gold")}),
		permit(federation.Test{Claim: "mail", Is: value("gold")}),
		permit(federation.Test{Claim: "tier", Ends: value("old")}),
		permit(federation.Test{Claim: "tier", Ends: value("gold")}),
		permit(federation.Test{Who: gate.Who{Groups: nametest.Refs("cloud-viewer")}}),
		permit(federation.Test{Who: gate.Who{Groups: nametest.Refs("cloud-viewer", "cloud-operator")}}),
		{Refuse: &federation.Test{Who: gate.Who{Groups: nametest.Refs("cloud-viewer")}}},
	}}
	a, _ := compile(t, world([3]bool{true, true, true}, true), &federation.Document{Parties: []federation.Party{party}})
	var got []string
	for _, f := range check.Findings(a) {
		if f.Code == finding.Redundant {
			got = append(got, f.Where.Rule)
		}
	}
	assert.ElementsMatch(t, []string{
		"compute claim tier 1", "compute claim group 5", "compute claim mail 8",
		"compute admit 2", "compute admit 5", "compute admit 6",
	}, got)
}

func TestLoadErrorsAndLostNames(t *testing.T) {
	x := "x"
	_, err := atlas.Compile(
		&atlas.Map{Systems: []*gate.System{{Name: "link", Gate: &federation.Document{Parties: []federation.Party{
			{
				Party:  place.Text{Value: "p"},
				Claims: []federation.Claim{{Claim: "c"}, {Claim: "c", From: "a", Value: "v"}},
				Admit: []federation.Statement{
					{}, {Permit: &federation.Test{Claim: "c"}}, {Permit: &federation.Test{}}, {Refuse: &federation.Test{Claim: "c", Is: &x, Ends: &x}},
				},
			}, {Party: place.Text{Value: "p"}},
		}}}}},
	)
	require.Error(t, err)
	for _, want := range []string{"takes its values from one place", "is either permit or refuse", "with one of is, starts and ends", "names nobody", "is here twice"} {
		assert.ErrorContains(t, err, want)
	}
	a, _ := compile(
		t,
		world([3]bool{}, true),
		&federation.Document{Parties: []federation.Party{{Party: place.Text{Value: "compote"}}}},
	)
	planner, err := a.System("a-planner")
	require.NoError(t, err)
	require.Len(t, planner.Site.Findings, 1)
	assert.Contains(t, planner.Site.Findings[0].Message, "did you mean compote?")
	var e federation.Expression
	assert.Error(t, e.UnmarshalText([]byte("(")))
	var g federation.Glob
	assert.Error(t, g.UnmarshalText([]byte("[")))
}

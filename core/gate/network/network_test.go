package network_test

import (
	"fmt"
	"slices"
	"strconv"
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
	"gatemap/core/gate/network"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// world has one user in two groups of d, with an attribute, and one of e.
func world(member [2]bool, override string) []*directory.Document {
	u := &directory.User{Name: "ilse"}
	if override != "" {
		_ = u.Attributes.Set("remote", override)
	}
	d := &directory.Document{Name: "d", Users: []*directory.User{u}}
	for g, n := range groups {
		m := &directory.Members{}
		if member[g] {
			m.Users = nametest.Refs("ilse", "e/ana")
		}
		d.Groups = append(d.Groups, &directory.Group{Name: n, Members: m})
	}
	return []*directory.Document{d, {Name: "e", Users: []*directory.User{{Name: "ana"}}}}
}

var (
	groups = []string{"crew", "science"}
	ways   = []string{"vpn", "wifi", "wired"}
	risks  = []string{"low", "high"}
)

func compile(t require.TestingT, dirs []*directory.Document, doc *network.Document) (*atlas.Atlas, *atlas.System) {
	a, err := atlas.Compile(&atlas.Map{Directories: dirs, Systems: []*gate.System{{Name: "s", Gate: doc}}})
	require.NoError(t, err)
	return a, a.Systems[0]
}

func ask(t require.TestingT, a *atlas.Atlas, s *atlas.System, user, object, right, risk string) rule.Entitlement {
	u, err := a.Book.FindUser(user, "")
	require.NoError(t, err)
	p, err := s.Gate.At(object, right)
	require.NoError(t, err)
	f, err := a.Facts(situation.Situation{Risk: situation.Risk(risk)})
	require.NoError(t, err)
	return a.Why(u, f, s, p)
}

func who(w gate.Who, member [2]bool) bool {
	return w.Everyone ||
		slices.ContainsFunc(w.Groups, func(r name.Ref) bool { return member[slices.Index(groups, r.Name)] })
}

func plainTags(doc *network.Document, member [2]bool) []string {
	var tags []string
	for _, r := range doc.Tags.Rules {
		if who(r.Who, member) && (doc.Tags.Match != "first" || tags == nil) {
			tags = append(tags, r.Tag)
		}
	}
	if tags == nil {
		tags = []string{doc.Tags.Default}
	}
	return tags
}

// plain walks the policies with every fact known.
func plain(doc *network.Document, member [2]bool, override, way, risk string) rule.State {
	if override == "always" {
		return rule.Open
	}
	tags := plainTags(doc, member)
	named, decided, admitted := false, false, false
	for _, p := range doc.Policies {
		about := p.When == nil || len(p.When.Access) == 0 || slices.Contains(p.When.Access, situation.Access(way))
		tagged := len(p.Tags) == 0 ||
			slices.ContainsFunc(p.Tags, func(r name.Ref) bool { return slices.Contains(tags, r.Name) })
		byWho := who(p.Who, member) || p.Who.Empty()
		if !about || !tagged || !byWho {
			continue
		}
		named = named || p.Verdict == "admit"
		holds := p.When == nil || len(p.When.Risk) == 0 || slices.Contains(p.When.Risk, situation.Risk(risk))
		if holds && !decided {
			decided, admitted = true, p.Verdict == "admit"
		}
	}
	switch {
	case !named:
		return rule.None
	case !admitted || override == "never":
		return rule.Shut
	}
	return rule.Open
}

func draw(t *rapid.T) *network.Document {
	doc := &network.Document{Override: &network.Override{Attribute: "remote"}, Tags: &network.Tags{
		Match: rapid.SampledFrom([]network.Match{"", "first"}).Draw(t, "match"), Default: "guest",
	}}
	group := func() gate.Who {
		return gate.Who{
			Groups:   nametest.Refs(rapid.SampledFrom(groups).Draw(t, "group")),
			Everyone: rapid.IntRange(0, 3).Draw(t, "everyone") == 0,
		}
	}
	for range rapid.IntRange(0, 3).Draw(t, "rules") {
		doc.Tags.Rules = append(
			doc.Tags.Rules,
			network.TagRule{Tag: rapid.SampledFrom([]string{"crew", "staff"}).Draw(t, "tag"), Who: group()},
		)
	}
	if rapid.Bool().Draw(t, "many tags") { // more than a word has bits
		for i := range 70 {
			doc.Tags.Rules = append(doc.Tags.Rules, network.TagRule{Tag: fmt.Sprintf("t%02d", i), Who: gate.Who{
				Groups: nametest.Refs(groups[i%2]),
			}})
		}
	}
	for i := range rapid.IntRange(0, 5).Draw(t, "policies") {
		p := network.Policy{
			Name:    fmt.Sprintf("p%d", i),
			Verdict: rapid.SampledFrom([]network.Verdict{"admit", "refuse"}).Draw(t, "verdict"),
		}
		if rapid.Bool().Draw(t, "who") {
			p.Who = group()
		}
		if p.Who.Empty() || rapid.Bool().Draw(t, "tags") {
			p.Tags = nametest.Refs("guest")
			if len(doc.Tags.Rules) > 0 {
				last := doc.Tags.Rules[len(doc.Tags.Rules)-1].Tag
				tags := []string{doc.Tags.Rules[0].Tag, last, "guest"}
				p.Tags = nametest.Refs(rapid.SliceOfN(rapid.SampledFrom(tags), 1, 2).Draw(t, "policy tags")...)
			}
		}
		if rapid.Bool().Draw(t, "when") {
			p.When = &situation.When{}
			if rapid.Bool().Draw(t, "access") {
				p.When.Access = []situation.Access{situation.Access(rapid.SampledFrom(ways).Draw(t, "way"))}
			}
			if rapid.Bool().Draw(t, "risky") {
				p.When.Risk = []situation.Risk{situation.Risk(rapid.SampledFrom(risks).Draw(t, "risk"))}
			}
		}
		doc.Policies = append(doc.Policies, p)
	}
	return doc
}

func TestAdmissionAgreesWithWalkingThePolicies(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		member := [2]bool{rapid.Bool().Draw(t, "in crew"), rapid.Bool().Draw(t, "in science")}
		override := rapid.SampledFrom([]string{"", "always", "never", "perhaps"}).Draw(t, "override")
		doc := draw(t)
		a, s := compile(t, world(member, override), doc)
		for _, way := range ways {
			partial := ask(t, a, s, "d/ilse", way, "admit", "")
			for _, risk := range risks {
				want := plain(doc, member, override, way, risk)
				got := ask(t, a, s, "d/ilse", way, "admit", risk)
				if got.State != want {
					t.Fatalf("%s at risk %s, override %q: %v %v, plainly %v", way, risk, override, got.State, got.ShutBy, want)
				}
				if partial.State != rule.Depends && partial.State != want {
					t.Fatalf("%s: %v with the risk unknown, %v at %s", way, partial.State, want, risk)
				}
			}
		}
		f, err := a.Facts(situation.Situation{})
		require.NoError(t, err)
		var tags []string
		for _, e := range a.Reach(0, f, nil) {
			if e.Object == "tag" {
				tags = append(tags, e.Right)
			}
		}
		want := plainTags(doc, member)
		slices.Sort(want)
		if !slices.Equal(tags, slices.Compact(want)) {
			t.Fatalf("tags %v, plainly %v", tags, want)
		}
	})
}

// Leaving out a tag rule that is reported as idle changes nobody's tags.
func TestIdleTagRulesCanGo(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc := draw(t)
		a, _ := compile(t, world([2]bool{true, true}, ""), doc)
		for _, f := range check.Findings(a) {
			if !strings.HasPrefix(f.Where.Rule, "tag ") || f.Code != finding.Redundant && f.Code != finding.Shadowed {
				continue
			}
			words := strings.Fields(f.Where.Rule)
			i, err := strconv.Atoi(words[len(words)-1])
			require.NoError(t, err)
			without, tags := *doc, *doc.Tags
			tags.Rules = slices.Delete(slices.Clone(tags.Rules), i-1, i)
			without.Tags = &tags
			for _, member := range [][2]bool{{}, {true, false}, {false, true}, {true, true}} {
				require.ElementsMatch(
					t,
					distinct(plainTags(doc, member)),
					distinct(plainTags(&without, member)),
					"%s for %v",
					f.Where.Rule,
					member,
				)
			}
		}
	})
}

func distinct(tags []string) []string {
	slices.Sort(tags)
	return slices.Compact(tags)
}

// Leaving out a policy that is reported as shadowed changes no admission.
func TestShadowedPoliciesDecideNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc := draw(t)
		a, _ := compile(t, world([2]bool{true, true}, ""), doc)
		for _, f := range check.Findings(a) {
			if f.Code != "shadowed" {
				continue
			}
			without := *doc
			without.Policies = slices.DeleteFunc(
				slices.Clone(doc.Policies),
				func(p network.Policy) bool { return p.Name == f.Where.Rule },
			)
			for _, member := range [][2]bool{{}, {true, false}, {false, true}, {true, true}} {
				for _, way := range ways {
					for _, risk := range risks {
						x, y := plain(doc, member, "", way, risk), plain(&without, member, "", way, risk)
						if (x == rule.Open) != (y == rule.Open) {
							t.Fatalf("%s decides %s for %v at %s", f.Where.Rule, way, member, risk)
						}
					}
				}
			}
		}
	})
}

func TestSourcesAndReplies(t *testing.T) {
	vlan := 40
	doc := &network.Document{Sources: nametest.Refs("D"), Policies: []network.Policy{
		{
			Name:    "crew",
			Who:     gate.Who{Groups: nametest.Refs("crew")},
			When:    &situation.When{Access: []situation.Access{"vpn"}},
			Verdict: "admit",
			Reply:   &network.Reply{Class: "crew", VLAN: &vlan, SessionTimeout: "8h", ACL: name.Ref{Name: "nil"}},
		},
	}}
	a, s := compile(t, world([2]bool{true, false}, ""), doc)
	e := ask(t, a, s, "d/ilse", "vpn", "admit", "")
	assert.Equal(t, map[string]any{"class": "crew", "vlan": 40, "session_timeout": "8h", "acl": "nil"}, e.Reply)
	assert.Equal(t, rule.None, ask(t, a, s, "d/ilse", "wifi", "admit", "").State)
	e = ask(t, a, s, "e/ana", "vpn", "admit", "")
	assert.Equal(t, []rule.Stop{{Reason: rule.BySource, At: "s/sources", Detail: "e"}}, e.ShutBy)
	require.Len(t, s.Site.Findings, 1, "the address list does not exist")

	bad := 5000
	doc.Policies[0].Reply = &network.Reply{VLAN: &bad, IdleTimeout: "soon"}
	doc.Policies = append(doc.Policies, network.Policy{Name: "nobody", Verdict: "admit"})
	_, err := atlas.Compile(&atlas.Map{Directories: world([2]bool{}, ""), Systems: []*gate.System{{Name: "s", Gate: doc}}})
	for _, want := range []string{"vlan of policy s/crew is a number from 1 to 4094", `not "soon"`, "line s/nobody names nobody"} {
		assert.ErrorContains(t, err, want)
	}
}

func FuzzACLEntry(f *testing.F) {
	for _, seed := range []string{"permit ip any any", "refuse ip any 192.0.2.32/28", "permit tcp 2001:db8::/32 192.0.2.1", "deny"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, written string) {
		var e, again network.ACLEntry
		if e.UnmarshalText([]byte(written)) != nil {
			return
		}
		text, _ := e.MarshalText()
		if err := again.UnmarshalText(text); err != nil || again != e {
			t.Fatalf("%q prints as %q: %v", written, text, err)
		}
	})
}

func TestACLEntriesThatAreWrong(t *testing.T) {
	for _, bad := range []string{"", "permit", "deny ip any any", "permit gre any any", "permit ip any 192.0.2.0/33", "permit ip any any 443", "permit ip fe80::1%eth0 any"} {
		var e network.ACLEntry
		assert.Error(t, e.UnmarshalText([]byte(bad)), bad)
	}
}

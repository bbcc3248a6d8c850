package gate_test

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"gatemap/core/gate"
	"gatemap/core/place"
	"gatemap/core/situation"
)

func verdict() *rapid.Generator[gate.Verdict] {
	return rapid.Custom(func(t *rapid.T) gate.Verdict {
		switch rapid.IntRange(0, 2).Draw(t, "state") {
		case 0:
			return gate.ShutFor(gate.ByDeny, rapid.SampledFrom([]string{"a", "b"}).Draw(t, "at"), "")
		case 1:
			return gate.DependsOn(rapid.SliceOfNDistinct(rapid.SampledFrom([]situation.Need{"window:night", "network:summit", "risk:low"}), 1, 3, rapid.ID).Draw(t, "needs")...)
		}
		return gate.Opened
	})
}

func same(a, b gate.Verdict) bool {
	sorted := func(n []situation.Need) []situation.Need { n = slices.Clone(n); slices.Sort(n); return n }
	key := func(s []gate.Stop) []string {
		var k []string
		for _, x := range s {
			k = append(k, x.At)
		}
		slices.Sort(k)
		return k
	}
	return a.State == b.State && slices.Equal(sorted(a.Needs), sorted(b.Needs)) && slices.Equal(key(a.ShutBy), key(b.ShutBy))
}

func TestVerdictLaws(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b, c := verdict().Draw(t, "a"), verdict().Draw(t, "b"), verdict().Draw(t, "c")
		switch {
		case !same(a.And(b), b.And(a)):
			t.Fatal("and does not commute")
		case !same(a.And(b).And(c), a.And(b.And(c))):
			t.Fatal("and does not associate")
		case !same(a.And(a), a), !same(a.And(gate.Opened), a):
			t.Fatal("and changes what it should keep")
		case a.And(b).State != min(a.State, b.State):
			t.Fatal("and is not the lowest")
		}
		e := either([]gate.Verdict{a, b, c})
		if e.State != max(a.State, b.State, c.State) || !same(e, either([]gate.Verdict{c, a, b})) {
			t.Fatalf("either of %v %v %v is %v", a, b, c, e)
		}
		if (len(e.Needs) > 0) != (e.State == gate.Depends) || (len(e.ShutBy) > 0) != (e.State == gate.Shut) {
			t.Fatalf("reasons of another state: %v", e)
		}
	})
}

func TestEitherLeavesOutHarderAlternatives(t *testing.T) {
	easy := gate.DependsOn("window:night")
	hard := gate.DependsOn("window:night", "network:summit")
	other := gate.DependsOn("device:managed")
	assert.Equal(t, easy, either([]gate.Verdict{hard, easy}))
	assert.Equal(t, gate.DependsOn("window:night", "device:managed"), either([]gate.Verdict{easy, hard, other}))
	assert.Equal(t, gate.None, either(nil).State)
}

func TestPatternsMatchLikeRegularExpressions(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := rapid.StringMatching(`[ab*]{0,6}`).Draw(t, "pattern")
		s := rapid.StringMatching(`[ab]{0,8}`).Draw(t, "text")
		want := regexp.MustCompile("^" + strings.ReplaceAll(p, "*", ".*") + "$").MatchString(s)
		if (gate.Pattern{Text: place.Text{Value: p}}).Matches(s) != want {
			t.Fatalf("%q on %q", p, s)
		}
	})
}

func TestStatesGoThroughText(t *testing.T) {
	for _, s := range []gate.State{gate.None, gate.Shut, gate.Depends, gate.Open} {
		written, _ := s.MarshalText()
		var back gate.State
		assert.NoError(t, back.UnmarshalText(written))
		assert.Equal(t, s, back)
	}
	var s gate.State
	assert.Error(t, s.UnmarshalText([]byte("ajar")))
}

func either(all []gate.Verdict) gate.Verdict {
	var x gate.Either
	for _, v := range all {
		x.Add(&gate.Question{}, v)
	}
	return x.Verdict()
}

package rule_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"gatemap/core/rule"
	"gatemap/core/situation"
)

func verdict() *rapid.Generator[rule.Verdict] {
	return rapid.Custom(func(t *rapid.T) rule.Verdict {
		switch rapid.IntRange(0, 2).Draw(t, "state") {
		case 0:
			return rule.ShutFor(rule.ByDeny, rapid.SampledFrom([]string{"a", "b"}).Draw(t, "at"), "")
		case 1:
			return on(
				rapid.SliceOfNDistinct(rapid.SampledFrom([]situation.Need{"window:night", "network:summit", "risk:low"}), 1, 3, rapid.ID).
					Draw(t, "needs")...)
		}
		return rule.Opened
	})
}

// on is the verdict that depends on some needs, all of them.
func on(needs ...situation.Need) rule.Verdict {
	list := make([]*situation.Literal, len(needs))
	for i, n := range needs {
		list[i] = situation.Other(n)
	}
	return rule.DependsOn(situation.All(list...))
}

func same(a, b rule.Verdict) bool {
	key := func(s []rule.Stop) []string {
		var k []string
		for _, x := range s {
			k = append(k, x.At)
		}
		slices.Sort(k)
		return k
	}
	return a.State == b.State && a.If.String() == b.If.String() && slices.Equal(key(a.ShutBy), key(b.ShutBy))
}

func TestVerdictLaws(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b, c := verdict().Draw(t, "a"), verdict().Draw(t, "b"), verdict().Draw(t, "c")
		switch {
		case !same(a.And(b), b.And(a)):
			t.Fatal("and does not commute")
		case !same(a.And(b).And(c), a.And(b.And(c))):
			t.Fatal("and does not associate")
		case !same(a.And(a), a), !same(a.And(rule.Opened), a):
			t.Fatal("and changes what it should keep")
		case a.And(b).State != min(a.State, b.State):
			t.Fatal("and is not the lowest")
		}
		e := either([]rule.Verdict{a, b, c})
		if e.State != max(a.State, b.State, c.State) || !same(e, either([]rule.Verdict{c, a, b})) {
			t.Fatalf("either of %v %v %v is %v", a, b, c, e)
		}
		if !e.If.None() != (e.State == rule.Depends) || (len(e.ShutBy) > 0) != (e.State == rule.Shut) {
			t.Fatalf("reasons of another state: %v", e)
		}
	})
}

func TestEitherLeavesOutHarderAlternatives(t *testing.T) {
	easy, hard, other := on("window:night"), on("window:night", "network:summit"), on("device:managed")
	assert.Equal(t, "(window:night)", either([]rule.Verdict{hard, easy}).If.String())
	assert.Equal(t, "(device:managed) or (window:night)", either([]rule.Verdict{easy, hard, other}).If.String())
	assert.Equal(t, rule.None, either(nil).State)
}

func TestStatesGoThroughText(t *testing.T) {
	for _, s := range []rule.State{rule.None, rule.Shut, rule.Depends, rule.Open} {
		written, _ := s.MarshalText()
		var back rule.State
		assert.NoError(t, back.UnmarshalText(written))
		assert.Equal(t, s, back)
	}
	var s rule.State
	assert.Error(t, s.UnmarshalText([]byte("ajar")))
}

func either(all []rule.Verdict) rule.Verdict {
	var x rule.Either
	for _, v := range all {
		x.Add(&rule.Question{}, v)
	}
	return x.Verdict()
}

// What shuts a gate in front is told behind it with its reason, and taken apart again; behind two it is that
// of the first.
func TestStopsBehind(t *testing.T) {
	for _, c := range []struct {
		stop   rule.Stop
		reason rule.Reason
		detail string
	}{
		{rule.Stop{Reason: rule.ByPolicy, At: "d/p", Detail: "strength:aal2"}, rule.ByPolicy, "strength:aal2"},
		{rule.Stop{Reason: rule.ByInactive, At: "d/u"}, rule.ByInactive, ""},
		{rule.Stop{Reason: rule.ByGate, At: "d/p", Detail: "network:summit"}, "", "network:summit"},
	} {
		behind := c.stop.Behind()
		assert.Equal(t, rule.ByGate, behind.Reason)
		assert.Equal(t, c.stop.At, behind.At)
		for _, s := range []rule.Stop{behind, behind.Behind()} {
			reason, detail := s.Inner()
			assert.Equal(t, c.reason, reason)
			assert.Equal(t, c.detail, detail)
		}
	}
}

package answer_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func TestNeedsInWords(t *testing.T) {
	for need, want := range map[situation.Need]string{
		"network:summit|office":       "the source address is in summit or office",
		"not-network:summit":          "the source address is not in summit",
		"not-network:summit|office":   "the source address is not in summit or office",
		"not-window:night|dusk":       "the time is outside the window night and dusk",
		"window:night":                "the time is in the window night",
		"device:managed":              "the device is managed",
		"device-group:d/x":            "the device is in the group d/x",
		"not-device-group:d/x":        "the device is not in the group d/x",
		"strength:aal2":               "the sign-in is at least aal2",
		"access:vpn":                  "the access is by vpn",
		"client:browser|native":       "the client is browser or native",
		"risk:low|medium":             "the risk is low or medium",
		"via:local":                   "the way is local",
		"before:2026-12-31T00:00:00Z": "the time is before 2026-12-31T00:00:00Z",
		"after:2026-12-31T00:00:00Z":  "the time is 2026-12-31T00:00:00Z or later",
		"to:192.0.2.0/28":             "the destination is in 192.0.2.0/28",
		"port:8000-8080":              "the port is 8000-8080",
		"something new":               "something new",
	} {
		assert.Equal(t, want, answer.Need(need))
	}
	for want, ways := range map[string][][]situation.Need{
		"in any case":                                  {{}},
		"in no case, whatever the situation":           {},
		"if the device is managed and the risk is low": {{"device:managed", "risk:low"}},
		"if the device is managed, or if the risk is low and the time is outside the window night": {{"device:managed"}, {"risk:low", "not-window:night"}},
	} {
		assert.Equal(t, want, answer.OpenIf(ways, false))
	}
	assert.Equal(
		t,
		"if the device is managed, or in further ways",
		answer.OpenIf([][]situation.Need{{"device:managed"}}, true),
	)
}

func TestStopsInWords(t *testing.T) {
	for _, c := range []struct {
		stop rule.Stop
		want string
	}{
		{rule.Stop{Reason: rule.ByCondition, At: "s/m", Detail: "network:summit"}, "Line s/m gives it only if the source address is in summit"},
		{rule.Stop{Reason: rule.ByInactive, At: "d/u"}, "The account d/u is inactive"},
		{rule.Stop{Reason: rule.ByExpired, At: "d/u", Detail: "T"}, "The account d/u expired at T"},
		{rule.Stop{Reason: rule.ByPrerequisite, At: "s/requires", Detail: "emails"}, "s requires the attribute emails, which the user lacks"},
		{rule.Stop{Reason: rule.ByDeny, At: "s/m"}, "Line s/m denies it"},
		{rule.Stop{Reason: rule.ByLimit, At: "s/l"}, "The limit s/l forbids it"},
		{rule.Stop{Reason: rule.ByRule, At: "s/r"}, "Line s/r refuses it before another line permits it"},
		{rule.Stop{Reason: rule.ByOverride, At: "s/override"}, "The user's own override refuses it (s/override)"},
		{rule.Stop{Reason: rule.ByPolicy, At: "s/p", Detail: "strength:aal2"}, "Policy s/p blocks it (the sign-in is at least aal2)"},
		{rule.Stop{Reason: rule.ByPolicy, At: "s/p"}, "Policy s/p blocks it"},
		{rule.Stop{Reason: rule.ByDoor, At: "s/door"}, "The folder allows it, but s/door does not"},
		{rule.Stop{Reason: rule.ByLogin, At: "s/login 1", Detail: "condition network:summit"}, "The user cannot log in there: s/login 1 (condition: the source address is in summit)"},
		{rule.Stop{Reason: rule.ByAdmit, At: "s/a"}, "s/a does not admit the sign-in"},
		{rule.Stop{Reason: rule.ByFeature, At: "s/p", Detail: "f"}, "s/p needs the feature f, which the user lacks"},
		{rule.Stop{Reason: rule.ByNoSeat, At: "s/p"}, "s/p has no seat left"},
		{rule.Stop{Reason: rule.BySource, At: "s/sources", Detail: "ridge"}, "Users of the directory ridge are not known here (s/sources)"},
		{rule.Stop{Reason: rule.ByGate, At: "door/p", Detail: "policy strength:aal2"}, "It is behind door/p, which does not let the user through: policy: the sign-in is at least aal2"},
		{rule.Stop{Reason: "new", At: "s/x"}, "new at s/x"},
	} {
		assert.Equal(t, c.want, answer.Stop(c.stop))
	}
}

func TestRoutesInWords(t *testing.T) {
	path := []rule.Hop{{Group: "d/a", How: "rule"}, {Group: "d/b", How: "nested"}}
	for want, r := range map[string]rule.Route{
		"Line s/m gives it to d/u by name":                                          {Mapping: "s/m", Direct: true},
		"Line s/m gives it to everyone":                                             {Mapping: "s/m"},
		"Line s/m gives it by the tag crew":                                         {Mapping: "s/m", By: "tag:crew"},
		"Line s/m gives it: d/u is by rule in d/a, which is in d/b":                 {Mapping: "s/m", Path: path},
		"Line s/m gives it by the tag crew: d/u is by rule in d/a, which is in d/b": {Mapping: "s/m", By: "tag:crew", Path: path},
		"Line s/m gives it: d/u is by primary group in d/p":                         {Mapping: "s/m", Path: []rule.Hop{{Group: "d/p", How: "primary"}}},
	} {
		assert.Equal(t, want, answer.Route(r, "d/u"))
	}
}

func TestMissesAndWaysInWords(t *testing.T) {
	for want, lacks := range map[string][]rule.Lack{
		"Line s/m gives it to members of d/a or d/u in person":                                   {"group:d/a", "user:d/u"},
		"Line s/m gives it, but d/u is excepted, and members of d/x are excepted":                {"not-user:d/u", "not-group:d/x"},
		"Line s/m gives it to members of d/a, but the attribute emails is lacking":               {"group:d/a", "attribute:emails"},
		"Line s/m gives it to those with the tag crew or those whose sign-in carries l/p role=x": {"tag:crew", "claim:l/p role=x"},
	} {
		assert.Equal(t, want, answer.Miss(rule.Miss{Mapping: "s/m", Lacks: lacks}))
	}
	for want, way := range map[string]atlas.Way{
		"Way in: membership of d/a opens it, and brings nothing else":                                            {Changes: []atlas.Step{"group:d/a"}, State: rule.Open},
		"Way in: membership of d/a gives it, on conditions, and brings 4 other entitlements: x, y …":             {Changes: []atlas.Step{"group:d/a"}, State: rule.Depends, Brings: 4, Sample: []string{"x", "y"}},
		"Way in: title \"Cook\" opens it, and brings nothing else":                                               {Changes: []atlas.Step{"attribute:title=Cook"}, State: rule.Open},
		"Way in: a value for the attribute emails opens it":                                                      {Changes: []atlas.Step{"attribute:emails"}, State: rule.Open},
		"Way in: switching the account on, and a situation in which the time is in the window night opens it":    {Changes: []atlas.Step{"account:active", "window:night"}, State: rule.Open},
		"Way in: a later end of the account opens it":                                                            {Changes: []atlas.Step{"account:longer"}, State: rule.Open},
		"Way in: a situation in which the time is in the window night and the sign-in is at least aal2 opens it": {Changes: []atlas.Step{"window:night", "strength:aal2"}, State: rule.Open},
	} {
		assert.Equal(t, want, answer.WayIn(way))
	}
}

func why(state rule.State, facts map[string]string) *answer.Why {
	return &answer.Why{
		User:        "d/u",
		Situation:   facts,
		Entitlement: rule.Entitlement{System: "s", Object: "/o", Right: "r", State: state},
	}
}

func TestSentences(t *testing.T) {
	facts := map[string]string{"from": "198.51.100.9", "device_name": "loaner-7"}
	open := why(rule.Open, nil)
	open.Breadth, open.DecidedAt = "team", "/"
	depends := why(rule.Depends, facts)
	depends.OpenIf = [][]situation.Need{{"window:night"}}
	for _, c := range []struct {
		why  *answer.Why
		want []string
	}{
		{open, []string{"Una (d/u) holds r on /o in s, breadth team, and it is open in any situation.", "/o is not declared; / above it decides."}},
		{why(rule.Open, facts), []string{"Una (d/u) holds r on /o in s, and it is open in this situation (from 198.51.100.9, device name loaner-7)."}},
		{depends, []string{"Una (d/u) holds r on /o in s, and it is open if the time is in the window night."}},
		{why(rule.Shut, nil), []string{"Una (d/u) is given r on /o in s, but it is shut."}},
		{why(rule.Shut, facts), []string{"Una (d/u) is given r on /o in s, but it is shut in this situation (from 198.51.100.9, device name loaner-7)."}},
		{why(rule.None, nil), []string{"Una (d/u) does not hold r on /o in s.", "No line of s gives it to anyone."}},
	} {
		assert.Equal(t, c.want, answer.Sentences(c.why, "Una"))
	}
	assert.True(t, strings.HasPrefix(answer.Sentences(why(rule.None, nil), "")[0], "d/u does not hold"))
}

func TestLabels(t *testing.T) {
	for need, want := range map[situation.Need]string{
		"network:summit|office": "from summit or office", "not-strength:aal2": "weaker than aal2", "something:new": "something:new",
	} {
		assert.Equal(t, want, answer.NeedLabel(need))
	}
	for want, stop := range map[string]rule.Stop{
		"only in window night": {Reason: rule.ByCondition, At: "s/m", Detail: "window:night"},
		"account inactive":     {Reason: rule.ByInactive, At: "d/u"},
		"lacks emails":         {Reason: rule.ByPrerequisite, At: "s/requires", Detail: "emails"},
		"denied by m":          {Reason: rule.ByDeny, At: "s/m"},
		"behind p (policy: the sign-in is at least aal2)": {
			Reason: rule.ByGate, At: "door/p", Detail: "policy strength:aal2",
		},
		"new x": {Reason: "new", At: "s/m", Detail: "x"},
	} {
		assert.Equal(t, want, answer.StopLabel(stop))
	}
	assert.Equal(t, "not in d/a", answer.LackLabel("not-group:d/a"))
	assert.Equal(t, "something:new", answer.LackLabel("something:new"))
}

// Everything that there is has words, and each is served.
func TestTheCatalogueIsWhole(t *testing.T) {
	words := answer.Catalogue()
	assert.Len(t, words.Needs, 13)
	for _, reason := range rule.Reasons {
		assert.Contains(t, words.Stops, reason)
	}
	assert.Len(t, words.Stops, len(rule.Reasons))
	for _, fate := range []rule.Fate{
		rule.Decides, rule.May, rule.Unmet, rule.Overtaken, rule.Others, rule.Elsewhere, rule.Off, rule.Watched,
	} {
		assert.NotEmpty(t, answer.FateLabel(fate), fate)
	}
}

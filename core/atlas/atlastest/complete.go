package atlastest

import (
	"slices"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/situation"
)

// Met says whether a need is met where every fact is known, read from its text alone.
func Met(a *atlas.Atlas, n situation.Need, s situation.Situation) bool {
	kind, values, not := n.Parts()
	if not {
		return !Met(a, n.Opposite(), s)
	}
	any := func(is func(string) bool) bool { return slices.ContainsFunc(values, is) }
	switch kind {
	case "network":
		return any(func(named string) bool {
			i, _ := a.Frame.Network(named)
			for _, p := range a.Frame.Networks[i].Prefixes {
				if p.Contains(s.From) {
					return true
				}
			}
			return false
		})
	case "window":
		return any(func(named string) bool {
			i, _ := a.Frame.Window(named)
			return a.Frame.Windows[i].Contains(s.At, a.Frame.Zone)
		})
	case "device":
		return values[0] == "managed" && s.Device.Managed || values[0] == "compliant" && s.Device.Compliant
	case "strength":
		return string(s.Strength) >= values[0]
	case "access":
		return any(func(v string) bool { return string(s.Access) == v })
	case "client":
		return any(func(v string) bool { return string(s.Client) == v })
	case "risk":
		return any(func(v string) bool { return string(s.Risk) == v })
	case "before", "after":
		at, err := time.Parse(time.RFC3339, values[0])
		if err != nil {
			panic(err)
		}
		return s.At.Before(at) == (kind == "before")
	}
	panic("a need of another kind: " + n)
}

// Completed is a situation with a fact for each that it leaves open.
func Completed(t *rapid.T, s situation.Situation) situation.Situation {
	facts := s.Facts()
	for field, values := range map[string][]string{
		"from": {"203.0.113.9", "203.0.113.20", "198.51.100.9", "192.0.2.9", "2001:db8::1"},
		"at": {"2026-11-23T06:00:00Z", "2026-11-23T06:59:59Z", "2026-11-23T07:00:00Z", "2026-11-23T12:00:00Z",
			"2026-11-23T18:00:00Z", "2026-11-29T12:00:00Z", "2027-01-01T03:00:00Z"},
		"device":   {"none", "managed", "compliant", "managed,compliant"},
		"strength": {"aal1", "aal2", "aal3"}, "access": {"vpn", "wifi", "wired"}, "client": {"browser", "native", "legacy"},
		"risk": {"low", "medium", "high"},
	} {
		if facts[field] == "" {
			facts[field] = rapid.SampledFrom(values).Draw(t, field)
		}
	}
	full, err := situation.Parse(func(field string) string { return facts[field] })
	require.NoError(t, err)
	return full
}

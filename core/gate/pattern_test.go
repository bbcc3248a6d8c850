package gate_test

import (
	"regexp"
	"strings"
	"testing"

	"pgregory.net/rapid"

	"gatemap/core/gate"
	"gatemap/core/place"
)

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

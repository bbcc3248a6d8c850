package federation

import (
	"path"
	"strings"
	"testing"

	"pgregory.net/rapid"
)

// What a pattern matches begins with its first literal and has the other one in it.
func TestLiteralsOfPatterns(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		pattern := rapid.StringMatching(`([ab*?-]|\[ab\]|\\\*){0,8}`).Draw(t, "pattern")
		text := rapid.StringMatching(`[ab*-]{0,8}`).Draw(t, "text")
		var g Glob
		if err := g.UnmarshalText([]byte(pattern)); err != nil {
			t.Fatalf("%q: %v", pattern, err)
		}
		fits, _ := path.Match(pattern, text)
		if start, part := g.literals(); fits && !(strings.HasPrefix(text, start) && strings.Contains(text, part)) {
			t.Fatalf("%q matches %q, which does not begin with %q or lacks %q", pattern, text, start, part)
		}
	})
}

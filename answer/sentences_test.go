package answer_test

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/answer"
	"gatemap/core/atlas/atlastest"
	"gatemap/core/rule"
)

// The sentences name the lines that decide, or may, each of them and no others, and say of
// each what becomes of it.
func TestSentencesNameTheLinesThatDecide(t *testing.T) {
	decides := 0
	rapid.Check(t, func(t *rapid.T) {
		_, a, _, facts := atlastest.Asked(t)
		for u := range a.Book.AllUsers {
			for _, s := range a.Systems {
				for _, e := range a.Reach(u, facts, s) {
					p, err := s.Gate.At(e.Object, e.Right)
					require.NoError(t, err)
					w := &answer.Why{User: a.Book.UserName(u)}
					w.Entitlement, w.Lines = a.Explain(u, facts, s, p)
					said := strings.Join(answer.Sentences(w, ""), "\n")
					for _, line := range a.Walk(u, facts, s, p) {
						decides += agrees(t, w, said, line)
					}
				}
			}
		}
	})
	require.NotZero(t, decides)
}

// agrees compares what is said with what becomes of a line.
func agrees(t *rapid.T, w *answer.Why, said string, line rule.Pass) (decides int) {
	shut := false
	for _, s := range w.ShutBy {
		shut = shut || s.At == line.Line
	}
	for _, s := range w.Routes {
		if s.Mapping == line.Line && w.State > rule.Shut {
			require.Contains(t, []rule.Fate{rule.Decides, rule.May}, line.Fate, "%s\n%s", line.Line, said)
			require.False(t, w.State == rule.Open && line.Fate == rule.May, "%s\n%s", line.Line, said)
		}
	}
	named := regexp.MustCompile(`(?m)(^|[ (])` + regexp.QuoteMeta(line.Line) + `[ :.)]`).MatchString(said)
	switch line.Fate {
	case rule.Decides:
		require.True(t, named, "%s decides\n%s", line.Line, said)
		return 1
	case rule.May, rule.Watched:
		require.True(t, named, "%s may decide\n%s", line.Line, said)
	case rule.Unmet:
		require.False(t, named && !shut && w.State > rule.Shut, "%s is not met\n%s", line.Line, said)
	case rule.Overtaken, rule.Others, rule.Off:
		require.False(t, named && w.State > rule.None, "%s is %s\n%s", line.Line, line.Fate, said)
	}
	return 0
}

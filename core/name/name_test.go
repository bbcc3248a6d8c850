package name_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"golang.org/x/text/unicode/norm"
	"pgregory.net/rapid"

	"gatemap/core/name"
)

// Names that differ in case alone, or in ways of writing the same characters, are one.
func TestFold(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		runes := rapid.SliceOfN(rapid.RuneFrom([]rune("aAkK\u212asSſéÉe\u0301ßẞσςΣıİiI東ｉＫﬁ²2fǰ\u0345ια")), 0, 6)
		a, b := string(runes.Draw(t, "a")), string(runes.Draw(t, "b"))
		same := name.Fold(a) == name.Fold(b)
		if strings.EqualFold(a, b) && !same || norm.NFKC.String(a) == norm.NFKC.String(b) && !same {
			t.Fatalf("%q and %q", a, b)
		}
		if same != name.Equal(a, b) {
			t.Fatalf("Equal: %q and %q", a, b)
		}
		if f := name.Fold(a); name.Fold(f) != f {
			t.Fatalf("%q folds to %q, and that to %q", a, f, name.Fold(f))
		}
		if got := string(name.AppendFold([]byte("x"), a)); got != "x"+name.Fold(a) {
			t.Fatalf("AppendFold: %q", got)
		}
	})
	for _, pair := range [][2]string{{"ｉｌｓｅ", "Ilse"}, {"Straße", "STRASSE"}, {"rene\u0301", "René"}, {"ﬁona", "FIONA"}} {
		assert.True(t, name.Equal(pair[0], pair[1]), pair)
	}
	for _, pair := range [][2]string{{"ilse", "іlse"}, {"rene", "rené"}, {"a b", "ab"}} {
		assert.False(t, name.Equal(pair[0], pair[1]), pair)
	}
}

func TestCheck(t *testing.T) {
	for _, good := range []string{"", "ilse.okonjo", "Night Crew", "東京", "O'Neill-Marsh", "a/b", strings.Repeat("é", 256)} {
		assert.NoError(t, name.Check(good), good)
	}
	for bad, why := range map[string]string{
		"il\u202ese": "U+202E", "ilse\u200b": "U+200B", "\ufeffilse": "U+FEFF", "il\x00se": "U+0000", "il\nse": "U+000A", "il\u009bse": "U+009B", "a\u2028b": "U+2028",
		" ilse": "begins or ends with a space", "ilse\u00a0": "begins or ends with a space", "\xff": "UTF-8", strings.Repeat("x", 257): "at most 256 characters",
	} {
		err := name.Check(bad)
		assert.ErrorContains(t, err, why)
		assert.False(t, strings.ContainsAny(err.Error(), "\u202e\u200b\x00\n\u009b"), "the error shows what is not seen")
	}
}

// What is written out has nothing unseen, and what has nothing stays as it is.
func TestLine(t *testing.T) {
	assert.Equal(t, `a\u001b[2Jb`, name.Line("a\x1b[2Jb"))
	assert.Equal(t, `a\u000ab\xff`, name.Line("a\nb\xff"))
	assert.Equal(t, "a\nb\tc", name.Text("a\nb\tc"))
	rapid.Check(t, func(t *rapid.T) {
		s := rapid.String().Draw(t, "s")
		if line := name.Line(s); name.Line(line) != line ||
			name.Check(strings.TrimSpace(line)[:min(len(strings.TrimSpace(line)), 0)]) != nil {
			t.Fatalf("%q", line)
		}
		if strings.TrimSpace(s) == s && len(s) < 100 && name.Check(s) == nil && name.Line(s) != s {
			t.Fatalf("%q", s)
		}
	})
}

func TestSkeleton(t *testing.T) {
	assert.Equal(t, name.Skeleton("ilse"), name.Skeleton("іlѕе"))
	assert.NotEqual(t, name.Skeleton("ilse"), name.Skeleton("else"))
}

func TestDN(t *testing.T) {
	same := [][2]string{
		{"cn=night-crew,ou=groups,dc=cindervale,dc=example", "CN=Night-Crew, OU=groups,DC=cindervale,DC=example"},
		{"cn=a b,dc=x", "cn=A  B,dc=x"},
		{"cn=x+ou=y,dc=z", "ou=Y+cn=X,dc=z"},
		{`cn=a\2cb,dc=x`, `cn=a\,b,dc=x`},
	}
	for _, pair := range same {
		a, okA := name.DN(pair[0])
		b, okB := name.DN(pair[1])
		assert.True(t, okA && okB && a == b, "%s ~ %s", pair[0], pair[1])
	}
	a, _ := name.DN("cn=a,dc=x")
	b, _ := name.DN("cn=a,dc=y")
	assert.NotEqual(t, a, b)
	for _, bad := range []string{"", "night-crew", "cn=a,", "=x", "cindervale/night-crew"} {
		_, ok := name.DN(bad)
		assert.False(t, ok, bad)
	}
}

// The plainest names take a shorter way, which leads to the same.
func TestPlainDNsReadAsWithSpacesAround(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var plain, spaced []string
		for range rapid.IntRange(1, 4).Draw(t, "parts") {
			typ := rapid.StringMatching(`[a-zA-Z]{1,6}`).Draw(t, "type")
			value := rapid.StringMatching(`[a-zA-Z0-9._@-]{1,12}`).Draw(t, "value")
			plain, spaced = append(plain, typ+"="+value), append(spaced, typ+" = "+value)
		}
		a, okA := name.DN(strings.Join(plain, ","))
		b, okB := name.DN(strings.Join(spaced, " , "))
		if !okA || !okB || a != b {
			t.Fatalf("%q and %q", a, b)
		}
	})
}

func TestNear(t *testing.T) {
	names := []string{"night-crew", "day-crew", "archivists", "astronomers", "archive-readers", "archive-writers"}
	for written, want := range map[string][]string{
		"nigth-crew":      {"night-crew"},
		"NIGHT-CREW":      {"night-crew"},
		"archi":           {"archive-readers", "archive-writers", "archivists"},
		"archive-writter": {"archive-writers"},
		"zzzzz":           nil,
	} {
		got := name.Near(written, slices.Values(names))
		if want == nil {
			assert.Empty(t, got, written)
			continue
		}
		assert.Subset(t, got, want[:1], written)
		assert.Equal(t, want, got[:len(want)], written)
	}
}

func TestNearOffersWhatIsOneSlipAway(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		right := rapid.StringMatching(`[a-z]{5,12}`).Draw(t, "name")
		i := rapid.IntRange(0, len(right)-2).Draw(t, "at")
		swapped := right[:i] + string(right[i+1]) + string(right[i]) + right[i+2:]
		if got := name.Near(swapped, slices.Values([]string{"0000000000000000", right})); !slices.Contains(got, right) {
			t.Fatalf("%q does not suggest %q, but %v", swapped, right, got)
		}
	})
}

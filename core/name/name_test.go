package name_test

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"gatemap/core/name"
)

func TestFoldAgreesWithEqualFold(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		runes := rapid.SliceOfN(rapid.RuneFrom([]rune("aAkK\u212asSſéÉßẞσςΣıİiI東")), 0, 6)
		a, b := string(runes.Draw(t, "a")), string(runes.Draw(t, "b"))
		if strings.EqualFold(a, b) != (name.Fold(a) == name.Fold(b)) {
			t.Fatalf("%q and %q", a, b)
		}
	})
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

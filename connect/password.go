package connect

import (
	"crypto/rand"
	"slices"
	"strings"
	"unicode"
)

// FirstPassword is a random password of 20 letters and digits, of each kind some, that none is easily
// taken for another.
func FirstPassword() string {
	for {
		text := []rune(rand.Text()[:20]) // A to Z and 2 to 7
		for i, r := range text {
			if r%2 == 0 {
				text[i] = unicode.ToLower(r)
			}
		}
		every := true
		for _, kind := range []func(rune) bool{unicode.IsLower, unicode.IsUpper, unicode.IsDigit} {
			every = every && slices.ContainsFunc(text, kind)
		}
		if password := string(text); every && !strings.ContainsAny(password, "lIO") {
			return password
		}
	}
}

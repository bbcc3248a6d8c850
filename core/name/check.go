package name

import (
	"errors"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/mtibben/confusables"
	"golang.org/x/text/unicode/norm"
)

// Longest is how many characters a name may have.
const Longest = 256

// Check says what keeps a text from being a name: what is not seen in it, such as control
// and zero-width characters and those that turn the direction of text, spaces around it,
// or its length.
func Check(s string) error {
	if !utf8.ValidString(s) {
		return errors.New("a name is text in UTF-8, and this is not")
	}
	for _, r := range s {
		if unseen(r) {
			return fmt.Errorf("%s has the character %U, which is not seen: names are written without such", Line(s), r)
		}
	}
	if strings.TrimSpace(s) != s {
		return fmt.Errorf("%q begins or ends with a space: names are written without", s)
	}
	if n := utf8.RuneCountInString(s); n > Longest {
		return fmt.Errorf("a name has at most %d characters, and this one has %d", Longest, n)
	}
	return nil
}

// unseen says whether a character is not seen as one: control characters, formats (which
// turn the direction of text, join or have no width), and separators of lines.
func unseen(r rune) bool {
	return unicode.In(r, unicode.Cc, unicode.Cf, unicode.Zl, unicode.Zp, unicode.Co, unicode.Cs) || r == '\uFFFE' ||
		r == '\uFFFF'
}

// Line is a text for one line of output: what is not seen in it is written out, as \u202e,
// so that nobody can make a terminal or a reader see what is not there.
func Line(s string) string { return visible(s, "") }

// Short is the beginning of a text, of at most so many letters, with … where there is more.
func Short(s string, most int) string {
	if letters := []rune(s); len(letters) > most {
		return string(letters[:most]) + "…"
	}
	return s
}

// Text is Line for several lines: line ends and tabs stay.
func Text(s string) string { return visible(s, "\n\t") }

func visible(s, stay string) string {
	if !strings.ContainsFunc(
		s,
		func(r rune) bool { return (unseen(r) || r == utf8.RuneError) && !strings.ContainsRune(stay, r) },
	) {
		return s
	}
	var b strings.Builder
	for i := 0; i < len(s); {
		r, size := utf8.DecodeRuneInString(s[i:])
		switch {
		case r == utf8.RuneError && size == 1:
			fmt.Fprintf(&b, `\x%02x`, s[i])
		case unseen(r) && !strings.ContainsRune(stay, r):
			if r > 0xFFFF {
				fmt.Fprintf(&b, `\U%08x`, r)
			} else {
				fmt.Fprintf(&b, `\u%04x`, r)
			}
		default:
			b.WriteString(s[i : i+size])
		}
		i += size
	}
	return b.String()
}

// Skeleton is the same text for names that look the same, whatever their scripts (Unicode
// Technical Standard 39 section 4).
func Skeleton(s string) string {
	return confusables.Skeleton(strings.ToLower(norm.NFKC.String(s)))
}

// ASCII says whether a text has no other characters.
func ASCII(s string) bool {
	for i := range len(s) {
		if s[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

// Package name holds the rules by which names are compared, referred to and
// suggested (docs/model.md section 3). It knows no directory.
package name

import (
	"encoding"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/go-ldap/ldap/v3"
	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"

	"gatemap/core/place"
)

// Fold returns the form under which names and caseless strings are equal: that of
// compatibility (NFKC, Unicode Standard Annex 15) without case (full case folding, Unicode
// section 3.13). Of ASCII it is the upper case.
func Fold(s string) string {
	if ASCII(s) {
		return strings.ToUpper(s)
	}
	s = norm.NFKC.String(cases.Fold().String(norm.NFKC.String(s)))
	return strings.Map(foldRune, s)
}

// Equal says whether two names are one.
func Equal(a, b string) bool {
	return strings.EqualFold(a, b) || !(ASCII(a) && ASCII(b)) && Fold(a) == Fold(b)
}

// AppendFold appends the folded form of s.
func AppendFold(b []byte, s string) []byte {
	start := len(b)
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c >= utf8.RuneSelf {
			return append(b[:start], Fold(s)...)
		}
		if 'a' <= c && c <= 'z' {
			c -= 'a' - 'A'
		}
		b = append(b, c)
	}
	return b
}

func foldRune(r rune) rune {
	if r < utf8.RuneSelf {
		// The Kelvin sign and the long s fold to ASCII letters, whose
		// smallest member is the upper-case letter.
		if 'a' <= r && r <= 'z' {
			return r - 'a' + 'A'
		}
		return r
	}
	least := r
	for next := unicode.SimpleFold(r); next != r; next = unicode.SimpleFold(next) {
		least = min(least, next)
	}
	return least
}

// Ref is a reference to a user, group, device or anything else by name, with
// the place where it was written.
type Ref struct {
	Name  string
	Place place.Place
}

var _ encoding.TextUnmarshaler = (*Ref)(nil)

// UnmarshalText takes a name (Check).
func (r *Ref) UnmarshalText(text []byte) error {
	r.Name = string(text)
	return Check(r.Name)
}

// MarshalText gives back the name as written.
func (r Ref) MarshalText() ([]byte, error) { return []byte(r.Name), nil }

// SetPlace notes where the reference stands.
func (r *Ref) SetPlace(p place.Place) { r.Place = p }

// Unquote takes apart a reference whose name stands in quotes, "crew/night" or
// club/"crew/night", as a name with a slash in it may; in is the directory, if it is there.
func Unquote(ref string) (in, named string, quoted bool) {
	if len(ref) < 2 || ref[len(ref)-1] != '"' {
		return "", "", false
	}
	if ref[0] != '"' {
		at := strings.Index(ref, `/"`)
		if at < 0 || at+2 > len(ref)-2 {
			return "", "", false
		}
		in, ref = ref[:at], ref[at+1:]
	}
	return in, ref[1 : len(ref)-1], true
}

// Full joins a directory and a name to a full name.
func Full(directory, name string) string { return directory + "/" + name }

// DN returns the canonical form of an RFC 4514 distinguished name, so that two
// spellings of one name are equal strings: case and the spaces around
// separators do not matter, nor does the order within a multi-valued RDN. ok
// is false if s is not a distinguished name.
func DN(s string) (canonical string, ok bool) {
	var short [256]byte
	b, ok := AppendDN(short[:0], s)
	return string(b), ok
}

// AppendDN appends the canonical form of a distinguished name, as DN has it.
func AppendDN(b []byte, s string) (canonical []byte, ok bool) {
	if !strings.Contains(s, "=") {
		return b, false
	}
	if simple, ok := appendSimple(b, s); ok {
		return simple, true
	}
	dn, err := ldap.ParseDN(s)
	if err != nil || len(dn.RDNs) == 0 {
		return b, false
	}
	for _, rdn := range dn.RDNs {
		parts := make([]string, len(rdn.Attributes))
		for i, a := range rdn.Attributes {
			parts[i] = Fold(a.Type) + "=" + Fold(strings.Join(strings.Fields(a.Value), " "))
		}
		slices.Sort(parts)
		for _, p := range parts {
			b = append(append(b, p...), '\x01')
		}
		b = append(b, '\x00')
	}
	return b, true
}

// appendSimple is AppendDN for names of the plainest kind, which most are: in
// ASCII without escapes, each RDN one type and one value of letters, digits
// and a few signs. ok is false for any other.
func appendSimple(b []byte, s string) (canonical []byte, ok bool) {
	const (
		typ = iota
		value
	)
	in, length := typ, 0
	for i := 0; i <= len(s); i++ {
		if i == len(s) || s[i] == ',' {
			if in != value || length == 0 {
				return b, false
			}
			b = append(b, '\x01', '\x00')
			in, length = typ, 0
			continue
		}
		switch c := s[i]; {
		case 'a' <= c && c <= 'z':
			b = append(b, c-'a'+'A')
		case 'A' <= c && c <= 'Z', in == value && ('0' <= c && c <= '9' || c == '.' || c == '-' || c == '_' || c == '@'):
			b = append(b, c)
		case c == '=' && in == typ && length > 0:
			b = append(b, c)
			in, length = value, 0
			continue
		default:
			return b, false
		}
		length++
	}
	return b, true
}

// EscapeDN is a value as it stands in a distinguished name (RFC 4514 section 2.4).
func EscapeDN(value string) string { return ldap.EscapeDN(value) }

// CutDN is the first part of a distinguished name, and the name of what is above it, as they are
// written; above is "" where nothing is.
func CutDN(dn string) (own, above string) {
	for i := 0; i < len(dn); i++ {
		switch dn[i] {
		case '\\':
			i++
		case ',':
			return dn[:i], strings.TrimSpace(dn[i+1:])
		}
	}
	return dn, ""
}

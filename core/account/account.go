// Package account says what the account of a person is to be: where it stands, what it is called,
// and which number it has (docs/connected.md, "New accounts").
package account

import (
	"strconv"
	"strings"
	"unicode"

	"github.com/mozillazg/go-unidecode"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// Value gives the attributes of a person to a pattern.
func Value(u *directory.User) func(attribute string) string {
	return func(attribute string) string {
		return strings.TrimSpace(u.First(attribute))
	}
}

// Place is the distinguished name of what the account of a person stands below; lacks is the
// attribute that the person lacks for that.
func Place(pattern string, person *directory.User) (dn, lacks string) {
	value := Value(person)
	return name.ParsePattern(pattern).Write(func(attribute string) string { return name.EscapeDN(value(attribute)) })
}

// Movable says that a place is one of a pattern, for whichever person: an account that stands
// elsewhere was put there for a reason of its own.
func Movable(pattern, dn string) bool {
	p := name.ParsePattern(pattern)
	common := p[len(p)-1]
	if i := strings.Index(common, ","); i >= 0 && !p.Fixed() {
		common = common[i+1:]
	}
	any, _ := p.Write(func(string) string { return "x" })
	rest, ok := strings.CutSuffix(canonical(dn), canonical(common))
	return ok && strings.HasSuffix(rest, "\x00") && parts(dn) == parts(any)
}

func canonical(dn string) string {
	c, _ := name.DN(dn)
	return c
}

func parts(dn string) (n int) {
	for ; dn != ""; n++ {
		_, dn = name.CutDN(dn)
	}
	return n
}

// Name is what a new account of a person is called: by the pattern, in letters, digits, dots and
// dashes, and with a number from 2 on where that is taken, so that it is then that of a namesake.
// lacks is the attribute that the person lacks for that.
func Name(
	pattern string,
	person *directory.User,
	longest int,
	taken func(string) bool,
) (named, namesake, lacks string) {
	value := Value(person)
	written, lacks := name.ParsePattern(pattern).Write(func(attribute string) string { return Plain(value(attribute)) })
	if lacks != "" {
		return "", "", lacks
	}
	stem := cut(Plain(written), longest)
	if named = stem; !taken(named) {
		return named, "", ""
	}
	for n := 2; ; n++ {
		number := strconv.Itoa(n)
		if named = cut(stem, longest-len(number)) + number; !taken(named) {
			return named, stem, ""
		}
	}
}

func cut(text string, longest int) string {
	return strings.TrimRight(text[:min(len(text), longest)], "._-")
}

// Plain is a text in lower-case ASCII letters, digits, dots, dashes and underscores: other letters
// are transliterated, spaces become dashes, and what else there is goes.
func Plain(text string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(unidecode.Unidecode(strings.TrimSpace(text))) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9', r == '.', r == '-', r == '_':
			b.WriteRune(r)
		case unicode.IsSpace(r):
			b.WriteByte('-')
		}
	}
	return strings.Trim(b.String(), "._-")
}

// Counter gives numbers of a range that nobody has: each is greater than all that were.
type Counter struct {
	of   directory.Numbers
	next uint32
}

// NewCounter counts on from the numbers that accounts have.
func NewCounter(of directory.Numbers, accounts []*directory.User) *Counter {
	c := &Counter{of, of.From}
	for _, u := range accounts {
		if n, err := strconv.ParseUint(u.Attributes.First("uidNumber"), 10, 32); err == nil && of.Has(uint32(n)) {
			c.next = max(c.next, uint32(n)+1)
		}
	}
	return c
}

// Next is the next number; ok is false where the range is used up.
func (c *Counter) Next() (n uint32, ok bool) {
	if !c.of.Has(c.next) {
		return 0, false
	}
	c.next++
	return c.next - 1, true
}

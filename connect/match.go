package connect

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	ber "github.com/go-asn1-ber/asn1-ber"
	"github.com/go-ldap/ldap/v3"

	"gatemap/core/name"
	"gatemap/core/place"
)

// Match says whether an entry satisfies a filter.
type Match func(*Entry) bool

// CompileFilter reads an RFC 4515 filter. Values are compared without regard
// to case and with runs of spaces as one (RFC 4517 caseIgnoreMatch); of the
// extensible matching rules it knows that one, caseExactMatch, and the tests
// for bits.
func CompileFilter(text string) (Match, error) {
	packet, err := ldap.CompileFilter(strings.TrimSpace(text))
	if err != nil {
		return nil, fmt.Errorf("%q is not a filter (RFC 4515): %w", text, err)
	}
	m, err := compile(packet)
	if err != nil {
		return nil, fmt.Errorf("filter %q: %w", text, err)
	}
	return m, nil
}

func compile(p *ber.Packet) (Match, error) {
	switch p.Tag {
	case ldap.FilterAnd, ldap.FilterOr:
		return compileList(p)
	case ldap.FilterNot:
		inner, err := compile(p.Children[0])
		if err != nil {
			return nil, err
		}
		return func(e *Entry) bool { return !inner(e) }, nil
	case ldap.FilterPresent:
		attribute := text(p)
		return func(e *Entry) bool { return len(e.Values(attribute)) > 0 }, nil
	case ldap.FilterSubstrings:
		return compileSubstrings(p)
	case ldap.FilterExtensibleMatch:
		return compileExtensible(p)
	}
	attribute, want := text(p.Children[0]), squeeze(text(p.Children[1]))
	switch p.Tag {
	case ldap.FilterGreaterOrEqual:
		return anyValue(attribute, func(v string) bool { return order(v, want) >= 0 }), nil
	case ldap.FilterLessOrEqual:
		return anyValue(attribute, func(v string) bool { return order(v, want) <= 0 }), nil
	}
	return anyValue(attribute, func(v string) bool { return v == want }), nil
}

func compileList(p *ber.Packet) (Match, error) {
	parts := make([]Match, len(p.Children))
	for i, child := range p.Children {
		part, err := compile(child)
		if err != nil {
			return nil, err
		}
		parts[i] = part
	}
	if p.Tag == ldap.FilterOr {
		return func(e *Entry) bool {
			return slices.ContainsFunc(parts, func(m Match) bool { return m(e) })
		}, nil
	}
	return func(e *Entry) bool {
		return !slices.ContainsFunc(parts, func(m Match) bool { return !m(e) })
	}, nil
}

func text(p *ber.Packet) string {
	if s, ok := p.Value.(string); ok {
		return s
	}
	return p.Data.String()
}

func squeeze(s string) string { return name.Fold(strings.Join(strings.Fields(s), " ")) }

func anyValue(attribute string, holds func(string) bool) Match {
	return func(e *Entry) bool {
		for _, v := range e.Values(attribute) {
			if holds(squeeze(v.Value)) {
				return true
			}
		}
		return false
	}
}

// order compares whole numbers by their size and everything else as text.
func order(a, b string) int {
	x, errA := strconv.ParseInt(a, 10, 64)
	y, errB := strconv.ParseInt(b, 10, 64)
	if errA == nil && errB == nil {
		switch {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	}
	return strings.Compare(a, b)
}

func compileSubstrings(p *ber.Packet) (Match, error) {
	attribute := text(p.Children[0])
	pieces := p.Children[1].Children
	return anyValue(attribute, func(v string) bool {
		for _, piece := range pieces {
			want := squeeze(text(piece))
			switch piece.Tag {
			case ldap.FilterSubstringsInitial:
				if !strings.HasPrefix(v, want) {
					return false
				}
				v = v[len(want):]
			case ldap.FilterSubstringsFinal:
				return strings.HasSuffix(v, want)
			default:
				i := strings.Index(v, want)
				if i < 0 {
					return false
				}
				v = v[i+len(want):]
			}
		}
		return true
	}), nil
}

// The matching rules that an extensible match can name.
const (
	ruleBitsAll = "1.2.840.113556.1.4.803"
	ruleBitsAny = "1.2.840.113556.1.4.804"
)

// extensible is an extensible match (RFC 4511 section 4.5.1.7.7).
type extensible struct{ rule, attribute, value string }

func readExtensible(p *ber.Packet) (x extensible, err error) {
	for _, child := range p.Children {
		switch child.Tag {
		case ldap.MatchingRuleAssertionMatchingRule:
			x.rule = strings.ToLower(text(child))
		case ldap.MatchingRuleAssertionType:
			x.attribute = text(child)
		case ldap.MatchingRuleAssertionMatchValue:
			x.value = text(child)
		case ldap.MatchingRuleAssertionDNAttributes:
			return x, fmt.Errorf("the :dn option is not supported")
		}
	}
	if x.attribute == "" {
		return x, fmt.Errorf("an extensible match must name an attribute here")
	}
	return x, nil
}

func compileExtensible(p *ber.Packet) (Match, error) {
	x, err := readExtensible(p)
	if err != nil {
		return nil, err
	}
	rule, attribute, value := x.rule, x.attribute, x.value
	switch rule {
	case ruleBitsAll, ruleBitsAny:
		bits, err := strconv.ParseInt(value, 10, 64)
		if err != nil {
			return nil, fmt.Errorf("%q is not a number of bits", value)
		}
		return anyValue(attribute, func(v string) bool {
			have, err := strconv.ParseInt(v, 10, 64)
			if rule == ruleBitsAll {
				return err == nil && have&bits == bits
			}
			return err == nil && have&bits != 0
		}), nil
	case "", "caseignorematch", "2.5.13.2":
		want := squeeze(value)
		return anyValue(attribute, func(v string) bool { return v == want }), nil
	case "caseexactmatch", "2.5.13.5":
		return func(e *Entry) bool {
			return slices.ContainsFunc(e.Values(attribute), func(v place.Text) bool { return v.Value == value })
		}, nil
	}
	return nil, fmt.Errorf("the matching rule %s is not supported", rule)
}

// namedIn lists the attributes that a filter asks for; none where it is no
// filter.
func namedIn(filter string) []string {
	packet, err := ldap.CompileFilter(strings.TrimSpace(filter))
	if err != nil {
		return nil
	}
	var names []string
	var walk func(*ber.Packet)
	walk = func(p *ber.Packet) {
		switch p.Tag {
		case ldap.FilterAnd, ldap.FilterOr, ldap.FilterNot:
			for _, child := range p.Children {
				walk(child)
			}
		case ldap.FilterPresent:
			names = append(names, text(p))
		case ldap.FilterExtensibleMatch:
			for _, child := range p.Children {
				if child.Tag == ldap.MatchingRuleAssertionType {
					names = append(names, text(child))
				}
			}
		default:
			names = append(names, text(p.Children[0]))
		}
	}
	walk(packet)
	return names
}

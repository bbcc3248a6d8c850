package situation

import (
	"fmt"
	"net/netip"
)

// Range is a set of neighbouring addresses: a prefix, or one address.
type Range struct{ netip.Prefix }

// UnmarshalText reads an address or a prefix (RFC 4632, RFC 4291).
func (r *Range) UnmarshalText(text []byte) error {
	p, err := netip.ParsePrefix(string(text))
	if err != nil {
		a, err := netip.ParseAddr(string(text))
		if err != nil {
			return fmt.Errorf("%q is not an address or a prefix, such as 198.51.100.0/25", text)
		}
		p = netip.PrefixFrom(a, a.BitLen())
	}
	if p.Masked() != p {
		return fmt.Errorf("%s has bits set behind its length; write %s", p, p.Masked())
	}
	r.Prefix = p
	return nil
}

// MarshalText writes the prefix.
func (r Range) MarshalText() ([]byte, error) { return []byte(r.String()), nil }

// AccessBy is the condition that the way into the network is the one given.
func AccessBy(way Access) Condition {
	var b builder
	oneOf(&b, access, "access", []Access{way}, func(f *Facts) Access { return f.Access })
	return newCondition(b.clauses)
}

// SourceIn is the condition that the source address is in one of some ranges,
// which go by a name.
func SourceIn(name string, ranges []netip.Prefix) Condition {
	n := Network{Name: name, Prefixes: ranges}
	is, isnt := needs("network", name)
	return newCondition([]clause{{
		test: func(f *Facts) Truth {
			if !f.From.IsValid() {
				return Unknown
			}
			return truth(n.contains(f.From))
		},
		is: addressIn(is, isnt, ranges),
	}})
}

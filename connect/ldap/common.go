package ldap

import (
	"fmt"
	"strings"

	"github.com/go-ldap/ldap/v3"
)

// common is the entry below which all of some are; "" where there are none.
func common(entries []*ldap.Entry) string {
	var all *ldap.DN
	for _, e := range entries {
		dn, err := ldap.ParseDN(e.DN)
		if err != nil {
			continue
		}
		dn = &ldap.DN{RDNs: dn.RDNs[min(1, len(dn.RDNs)):]}
		if all == nil {
			all = dn
		}
		for len(all.RDNs) > 0 && !all.EqualFold(dn) && !all.AncestorOfFold(dn) {
			all = &ldap.DN{RDNs: all.RDNs[1:]}
		}
	}
	if all == nil {
		return ""
	}
	return all.String()
}

func sameDN(a, b string) bool { return dnKey(a) == dnKey(b) }

func is(n int) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

// first names some of several entries.
func first(entries []*ldap.Entry) string {
	const some = 3
	var list []string
	for _, e := range entries[:min(some, len(entries))] {
		list = append(list, e.DN)
	}
	if len(entries) > some {
		list = append(list, fmt.Sprintf("and %d more", len(entries)-some))
	}
	return strings.Join(list, "; ")
}

package ldap

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/place"
)

// entry turns an entry of the server into ours, and asks for the rest of values
// that come in ranges.
func (c *Conn) entry(e *ldap.Entry) (*connect.Entry, error) {
	c.clock.hear(e.GetEqualFoldAttributeValue(byTime))
	ours := &connect.Entry{DN: e.DN, Place: c.place}
	for _, a := range e.Attributes {
		typ, options := cutOptions(a.Name)
		ranged := -1
		for i, o := range options {
			if strings.HasPrefix(strings.ToLower(o), "range=") {
				ranged = i
			}
		}
		values := a.Values
		if ranged >= 0 {
			var err error
			if values, err = c.rest(e.DN, typ, options[ranged], values); err != nil {
				return nil, err
			}
			options = append(options[:ranged:ranged], options[ranged+1:]...)
		}
		if len(values) == 0 {
			continue
		}
		texts := make([]place.Text, len(values))
		for i, v := range values {
			texts[i] = place.Text{Value: v, Place: c.place}
		}
		ours.Attributes = append(ours.Attributes, connect.Attribute{Type: typ, Options: options, Values: texts})
	}
	return ours, nil
}

func cutOptions(description string) (string, []string) {
	parts := strings.Split(description, ";")
	return parts[0], parts[1:]
}

// rest asks for what is left of values that came as a range, such as
// member;range=0-1499; the last range ends with a star.
func (c *Conn) rest(dn, typ, option string, values []string) ([]string, error) {
	for {
		from, to, ok := strings.Cut(option[len("range="):], "-")
		first, err := strconv.Atoi(from)
		if !ok || err != nil || first < 0 {
			return nil, fmt.Errorf("entry %q: %s has a range %q that cannot be understood", dn, typ, option)
		}
		if to == "*" {
			return values, nil
		}
		last, err := strconv.Atoi(to)
		if err != nil || last < first || last+1 != len(values) {
			return nil, fmt.Errorf("entry %q: %s came in a range %q that does not fit the %d values that came", dn, typ, option,
				len(values))
		}
		request := ldap.NewSearchRequest(dn, ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 0, false, "(objectClass=*)",
			[]string{fmt.Sprintf("%s;range=%d-*", typ, last+1)}, nil)
		result, err := c.ldap.Search(request)
		if err != nil {
			return nil, fmt.Errorf("entry %q: asking for more of %s: %w", dn, typ, plain(err))
		}
		option = ""
		for _, e := range result.Entries {
			for _, a := range e.Attributes {
				got, options := cutOptions(a.Name)
				if strings.EqualFold(got, typ) && len(options) == 1 && strings.HasPrefix(strings.ToLower(options[0]), "range=") &&
					len(a.Values) > 0 {
					option, values = options[0], append(values, a.Values...)
				}
			}
		}
		if option == "" {
			return nil, fmt.Errorf("entry %q: the server gives %d values of %s and not the rest", dn, len(values), typ)
		}
	}
}

package connect

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/go-ldap/ldap/v3"
)

// locked is the time by which an account is locked for good where a server keeps password policies
// in the usual way: an account that has the attribute lockedSince is locked.
const (
	lockedSince = "pwdAccountLockedTime"
	locked      = "000001010000Z"
)

// Toggle says which values which attribute of an entry is to have so that a filter of inactive
// accounts holds for it, or no longer does. It can for filters that ask for one value, one bit, or
// whether an account is locked; the error says that another is not clear.
func Toggle(disabled string, e *Entry, active bool) (attribute string, values []string, err error) {
	if disabled == "" {
		return "", nil, errors.New("cannot be written: the source does not say by disabled which accounts are inactive")
	}
	p, err := ldap.CompileFilter(strings.TrimSpace(disabled))
	if err != nil {
		return "", nil, err
	}
	switch p.Tag {
	case ldap.FilterEqualityMatch:
		attribute = text(p.Children[0])
		return attribute, flagged(e, attribute, text(p.Children[1]), active), nil
	case ldap.FilterPresent:
		if attribute = text(p); !strings.EqualFold(attribute, lockedSince) {
			break
		}
		if active {
			return attribute, nil, nil
		}
		return attribute, []string{locked}, nil
	case ldap.FilterExtensibleMatch:
		x, err := readExtensible(p)
		bits, failed := strconv.ParseInt(x.value, 10, 64)
		if err != nil || failed != nil || x.attribute == "" || x.rule != ruleBitsAll && x.rule != ruleBitsAny {
			break
		}
		had, err := strconv.ParseInt(e.First(x.attribute).Value, 10, 64)
		if err != nil {
			return "", nil, fmt.Errorf("cannot be written: the entry has no number %s", x.attribute)
		}
		if active {
			had &^= bits
		} else {
			had |= bits
		}
		return x.attribute, []string{strconv.FormatInt(had, 10)}, nil
	}
	return "", nil, fmt.Errorf(
		"cannot be written: of disabled, %s, it is not clear what makes it hold; "+
			"it is of one attribute with one value, of a bit, or of %s",
		disabled,
		lockedSince,
	)
}

// flagged are the values of an attribute with the one that inactive accounts have, or without it.
func flagged(e *Entry, attribute, value string, active bool) []string {
	switch {
	case !active:
		return []string{value}
	case value == "TRUE":
		return []string{"FALSE"}
	}
	var left []string
	for _, v := range e.Values(attribute) {
		if squeeze(v.Value) != squeeze(value) {
			left = append(left, v.Value)
		}
	}
	return left
}

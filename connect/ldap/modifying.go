package ldap

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
)

// modifying works out how one entry is modified.
type modifying struct {
	source  *directory.Source
	entry   *connect.Entry
	classes []string
	changes []connect.ValueChange
}

// user brings the fields of a user that are written to what they are to be.
func (m *modifying) user(c *connect.Changed[directory.User]) error {
	table := m.source.Users
	for _, f := range c.Fields {
		var err error
		switch {
		case f.Attribute == "active":
			err = m.active(table.Disabled.Value, c.After.IsActive())
		case f.Attribute == "expires":
			err = m.expires(table.Expires, c.After.Expires)
		default:
			err = m.attribute(table, f.Attribute, c.After.Attributes.Get(name.Fold(f.Attribute)))
		}
		if err != nil {
			return fmt.Errorf("%s %w", f.Attribute, err)
		}
	}
	return nil
}

// errNotTaken says that an attribute is not read, so that it is not written either.
var errNotTaken = errors.New(
	"is not one of the attributes that the source takes in, so that it cannot be written there",
)

// active makes the filter of inactive accounts hold, or no longer.
func (m *modifying) active(disabled string, on bool) error {
	attribute, values, err := connect.Toggle(disabled, m.entry, on)
	if err != nil {
		return err
	}
	return m.values(attribute, values)
}

// expires writes the end of an account in the form of the table.
func (m *modifying) expires(d directory.Date, at directory.Instant) error {
	if d.Attribute == "" {
		return errNotTaken
	}
	written, err := connect.WriteDate(d.Form, at, m.entry.First(d.Attribute).Value)
	if err != nil {
		return err
	}
	return m.values(d.Attribute, written)
}

// attribute brings the values of one of our attributes to what they are to be.
func (m *modifying) attribute(table *directory.UserTable, ours string, values []filter.Value) error {
	theirs, ok := connect.Written(table, ours)
	if !ok {
		return errNotTaken
	}
	want := make([]string, len(values))
	for i, v := range values {
		if v.Kind == filter.Complex {
			return errors.New("has a value with parts, which an entry cannot have")
		}
		want[i] = v.Text
	}
	return m.values(theirs, want)
}

// values brings the values of an attribute to what they are to be.
func (m *modifying) values(attribute string, want []string) error {
	var had []string
	typ, options := cutOptions(attribute)
	for _, a := range m.entry.Attributes {
		if !strings.EqualFold(a.Type, typ) {
			continue
		}
		if len(a.Options) != len(options) {
			return errors.New("has values with options such as a language, which are not written")
		}
		for _, v := range a.Values {
			had = append(had, v.Value)
		}
	}
	c := connect.ValueChange{Attribute: attribute}
	for _, v := range had {
		if !slices.Contains(want, v) {
			c.Delete = append(c.Delete, v)
		}
	}
	for _, v := range want {
		if !slices.Contains(had, v) {
			c.Add = append(c.Add, v)
		}
	}
	if len(c.Delete)+len(c.Add) > 0 {
		m.changes = append(m.changes, c)
	}
	return nil
}

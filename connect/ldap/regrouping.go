package ldap

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/connect"
)

// memberOf says which attribute the classes of a group give members to.
var memberOf = map[string]string{
	"groupofnames": "member", "groupofmembers": "member", "group": "member",
	"groupofuniquenames": "uniqueMember", "posixgroup": "memberUid",
}

// mustHave are the classes of groups that may not be without a member (RFC 4519 section 3.5): one
// that would be is its own.
var mustHave = []string{"groupofnames", "groupofuniquenames"}

// group brings the fields of a group that are written to what they are to be.
func (m *modifying) group(r *connect.Regrouped) error {
	for _, f := range r.Fields {
		if f.Attribute == "description" {
			if err := m.values(m.source.Groups.Description, orNone(r.After.Description)); err != nil {
				return fmt.Errorf("description %w", err)
			}
		}
	}
	if len(r.Added)+len(r.Removed) == 0 {
		return nil
	}
	lists := m.memberLists()
	changes := map[string]*connect.ValueChange{}
	change := func(attribute string) *connect.ValueChange {
		if changes[attribute] == nil {
			changes[attribute] = &connect.ValueChange{Attribute: attribute}
		}
		return changes[attribute]
	}
	for _, ref := range r.Removed {
		found := false
		for _, attribute := range m.source.Groups.Members {
			for _, v := range m.entry.Values(attribute) {
				if connect.SameReference(connect.WithoutUID(v.Value), ref) {
					c := change(attribute)
					c.Delete, found = append(c.Delete, v.Value), true
				}
			}
		}
		if !found {
			return fmt.Errorf("the entry does not list %s", ref)
		}
	}
	for _, ref := range r.Added {
		attribute, err := listFor(lists, ref)
		if err != nil {
			return err
		}
		c := change(attribute)
		c.Add = append(c.Add, ref)
	}
	for _, attribute := range m.source.Groups.Members {
		if c := changes[attribute]; c != nil {
			m.keepOne(c)
			m.changes = append(m.changes, *c)
		}
	}
	return nil
}

func orNone(value string) []string {
	if value == "" {
		return nil
	}
	return []string{value}
}

// memberLists are the attributes that take new members of the group: those of its classes, else
// those that it has.
func (m *modifying) memberLists() (lists []string) {
	for _, attribute := range m.source.Groups.Members {
		of := slices.ContainsFunc(m.classes, func(class string) bool {
			return strings.EqualFold(memberOf[strings.ToLower(class)], attribute)
		})
		if of || len(m.entry.Values(attribute)) > 0 {
			lists = append(lists, attribute)
		}
	}
	if lists == nil {
		lists = m.source.Groups.Members[:1]
	}
	return lists
}

// listFor is the attribute that can hold a reference: memberUid holds login names, and the others
// distinguished names.
func listFor(lists []string, ref string) (string, error) {
	for _, attribute := range lists {
		if strings.EqualFold(attribute, "memberUid") != strings.Contains(ref, "=") {
			return attribute, nil
		}
	}
	return "", fmt.Errorf("the entry cannot list %s: %s holds other references", ref, strings.Join(lists, ", "))
}

// keepOne sees that a group that may not be without a member has one: itself, which is nobody.
func (m *modifying) keepOne(c *connect.ValueChange) {
	must := func(class string) bool { return slices.Contains(mustHave, strings.ToLower(class)) }
	if !slices.ContainsFunc(m.classes, must) {
		return
	}
	own := m.entry.DN
	values := m.entry.Values(c.Attribute)
	switch left := len(values) - len(c.Delete) + len(c.Add); {
	case left == 0:
		c.Add = append(c.Add, own)
	case len(c.Add) > 0 && len(values) == 1 && values[0].Value == own:
		c.Delete = append(c.Delete, own)
	}
}

package ldap

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// lookNewGroup sees that the entry of a new group can be made, and says with which values.
func (w *writing) lookNewGroup(r *connect.Rewrite) (*connect.Modification, error) {
	g := r.Group.After
	if err := w.isFree(r, g.DN); err != nil {
		return nil, err
	}
	switch dn, err := w.who(connect.Group, equals(w.job.Source.Groups.Name, g.Name)); {
	case err != nil:
		return nil, fmt.Errorf("%s: %w", r.Named(), err)
	case dn != "":
		return nil, &connect.ElsewhereError{Rewrite: r, Theirs: fmt.Sprintf("the name %s is that of %q", g.Name, dn)}
	}
	e := &adding{source: w.job.Source, controller: w.controller}
	if err := e.group(g); err != nil {
		return nil, fmt.Errorf("%s: %w", r.Named(), err)
	}
	m := &connect.Modification{At: g.DN, Entry: e.entry()}
	w.coming[dnKey(g.DN)] = m
	return m, nil
}

// lookComing says how the entry of a group is modified that is yet to be made.
func (w *writing) lookComing(r *connect.Rewrite, new *connect.Modification) (*connect.Modification, error) {
	e := &connect.Entry{DN: new.At}
	m := &modifying{entry: e, source: w.job.Source}
	for _, v := range new.Entry {
		values := make([]place.Text, len(v.Add))
		for i, text := range v.Add {
			values[i].Value = text
		}
		e.Attributes = append(e.Attributes, connect.Attribute{Type: v.Attribute, Values: values})
		if strings.EqualFold(v.Attribute, "objectClass") {
			m.classes = v.Add
		}
	}
	if err := m.group(r.Group); err != nil {
		return nil, fmt.Errorf("%s: %w", r.Named(), err)
	}
	return &connect.Modification{At: new.At, Changes: m.changes}, nil
}

// group is the entry of a new group, which has no members yet.
func (a *adding) group(g *directory.Group) error {
	table := a.source.Groups
	if of := a.source.NewGroups; of != nil {
		named := func(attribute string) string {
			if strings.EqualFold(attribute, "name") {
				return g.Name
			}
			return ""
		}
		if err := a.besides(of.Entry, named); err != nil {
			return err
		}
	}
	a.usual(table.Name, g.Name)
	if err := a.called(g.DN); err != nil {
		return err
	}
	if g.Description != "" {
		if table.Description == "" {
			return errors.New("the source takes in no description of groups, so that none can be written there")
		}
		a.usual(table.Description, g.Description)
	}
	return a.groupClasses(g)
}

// groupClasses are the classes of the entry of a group, where the source does not say them: such as list
// members by an attribute that it takes in. One that may not be without a member is its own.
func (a *adding) groupClasses(g *directory.Group) error {
	classes := map[string]string{"member": "groupOfNames", "uniquemember": "groupOfUniqueNames"}
	if a.controller {
		a.usual("objectClass", "top", "group")
		return nil
	}
	for _, attribute := range a.source.Groups.Members {
		if class := classes[strings.ToLower(attribute)]; class != "" {
			a.usual("objectClass", class)
		}
	}
	if !a.has("objectClass") {
		return fmt.Errorf(
			"members are listed by %s, and it is not clear of which class such an entry is: "+
				"say so in new_groups, with entry: {objectClass: […]}",
			strings.Join(a.source.Groups.Members, ", "),
		)
	}
	for _, v := range a.values {
		if !strings.EqualFold(v.Attribute, "objectClass") {
			continue
		}
		for _, class := range v.Add {
			if class = strings.ToLower(class); slices.Contains(mustHave, class) {
				a.usual(memberOf[class], g.DN)
			}
		}
	}
	return nil
}

// serverSet are attributes that a server gives an entry itself, so that nobody can give them back.
var serverSet = []string{
	"objectguid", "objectsid", "whencreated", "whenchanged", "usncreated", "usnchanged", "instancetype",
	"distinguishedname", "objectcategory", "name", "samaccounttype", "ntsecuritydescriptor",
	"dscorepropagationdata", "iscriticalsystemobject", "memberof", "admincount",
}

// lookGone reads the entry of a group that is removed, whole, so that it can be put back.
func (w *writing) lookGone(raw *ldap.Entry) (*connect.Modification, error) {
	whole, err := w.read(raw.DN, "(objectClass=*)", []string{"*"})
	if err != nil || whole == nil {
		return nil, err
	}
	m := &connect.Modification{At: raw.DN, Gone: true, Version: version(raw)}
	for _, a := range whole.Attributes {
		text := !slices.ContainsFunc(a.Values, func(v string) bool { return !utf8.ValidString(v) })
		if text && len(a.Values) > 0 && !slices.Contains(serverSet, strings.ToLower(a.Name)) {
			m.Entry = append(m.Entry, connect.ValueChange{Attribute: a.Name, Add: a.Values})
		}
	}
	return m, nil
}

// remove removes an entry. With a version it does only while that is the one of the entry.
func (w *writing) remove(m *connect.Modification) error {
	controls, err := w.while(m.Version)
	if err != nil {
		return err
	}
	return w.ldap.Del(ldap.NewDelRequest(m.At, controls))
}

// unremove puts an entry back that was removed. For the server it is a new one of the same name.
func (w *writing) unremove(m *connect.Modification) error {
	is, err := w.read(m.At, "(objectClass=*)", []string{"1.1"})
	if err != nil || is != nil {
		return err // it was not removed, or somebody has made another
	}
	if _, err := w.add(m); err != nil {
		return fmt.Errorf("the entry %q cannot be put back: %w", m.At, plain(err))
	}
	return nil
}

// isGroup says that an entry that is made is that of a group, which was modified after that: it was made
// without members.
func (w *writing) isGroup(m *connect.Modification) bool {
	return slices.ContainsFunc(m.Entry, func(v connect.ValueChange) bool {
		return strings.EqualFold(v.Attribute, "objectClass") &&
			slices.ContainsFunc(v.Add, func(class string) bool { return memberOf[strings.ToLower(class)] != "" })
	})
}

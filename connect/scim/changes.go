package scim

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
)

// bodyOf is a user as a resource, with dotted attributes as parts of others, and those that an employer
// says of a user where they belong.
func bodyOf(u *directory.User) raw {
	body, parts, enterprise := raw{"userName": u.Name}, map[string]any{}, object{}
	for attribute, value := range u.Attributes.Plain() {
		if a := find(Schemas[2].Attributes, attribute); a != nil && find(core(connect.User), attribute) == nil {
			enterprise[a.Name] = value
		} else if strings.Contains(attribute, ".") && !hasPrefixFold(attribute, "urn:") {
			parts[attribute] = value
		} else {
			body[attribute] = value
		}
	}
	for attribute, value := range parts {
		whole, part, _ := strings.Cut(attribute, ".")
		key := spelledAs(body, whole)
		inner, _ := body[key].(map[string]any)
		if inner == nil {
			inner = object{}
			body[key] = inner
		}
		inner[spelledAs(inner, part)] = value
	}
	if len(enterprise) > 0 {
		body[EnterpriseSchema] = enterprise
	}
	return body
}

// userPath is the path of an attribute of a user (RFC 7644 section 3.10).
func userPath(attribute string) (string, error) {
	if a := find(core(connect.User), attribute); a != nil {
		if a.Mutability == "readOnly" {
			return "", errors.New("is the server's own, and cannot be written")
		}
		return a.Name, nil
	}
	if a := find(Schemas[2].Attributes, attribute); a != nil {
		return EnterpriseSchema + ":" + a.Name, nil
	}
	if hasPrefixFold(attribute, "urn:") {
		return "", errors.New("is of a schema that is not known here, and is not written")
	}
	return attribute, nil
}

// at is the object that holds what a path leads to, and its key there. With make it is made.
func at(body raw, path string, make bool) (raw, string) {
	attribute, enterprise := strings.CutPrefix(path, EnterpriseSchema+":")
	if !enterprise {
		return body, spelledAs(body, path)
	}
	key := spelledAs(body, EnterpriseSchema)
	inner, _ := body[key].(map[string]any)
	if inner == nil && make {
		inner = object{}
		body[key] = inner
	}
	return inner, spelledAs(inner, attribute)
}

// written are values as the texts of changes.
func written(value any) []string {
	if value == nil {
		return nil
	}
	text, err := json.Marshal(value)
	if err != nil {
		panic(err) // it was read as JSON
	}
	return []string{string(text)}
}

// userChanges bring the fields of a user that are written to what they are to be.
func (w *writing) userChanges(c *connect.Changed[directory.User], body raw) (changes []connect.ValueChange, err error) {
	wanted, err := w.d.resource(connect.User, bodyOf(c.After))
	if err != nil {
		return nil, err
	}
	if c.After.Active != nil {
		wanted.Body["active"] = c.After.IsActive()
	}
	for _, f := range c.Fields {
		path, err := userPath(f.Attribute)
		if f.Attribute == "expires" {
			err = errors.New("cannot be written: accounts of a service provider have no end (RFC 7643 section 4.1)")
		}
		if err != nil {
			return nil, fmt.Errorf("%s %w", f.Attribute, err)
		}
		is, key := at(body, path, false)
		to, toKey := at(wanted.Body, path, false)
		changes = append(
			changes,
			connect.ValueChange{Attribute: path, Delete: written(is[key]), Add: written(to[toKey])},
		)
	}
	return changes, nil
}

// groupChanges bring the fields of a group that are written to what they are to be. A member who is yet
// to be made is there by name.
func (w *writing) groupChanges(g *connect.Regrouped) (changes []connect.ValueChange, err error) {
	for _, f := range g.Fields {
		if f.Attribute == "description" {
			c := connect.ValueChange{Attribute: "description"}
			if g.Before.Description != "" {
				c.Delete = written(g.Before.Description)
			}
			if g.After.Description != "" {
				c.Add = written(g.After.Description)
			}
			changes = append(changes, c)
		}
	}
	if len(g.Added)+len(g.Removed) == 0 {
		return changes, nil
	}
	m := connect.ValueChange{Attribute: "members"}
	for _, x := range []struct {
		refs []string
		to   *[]string
	}{{g.Removed, &m.Delete}, {g.Added, &m.Add}} {
		for _, ref := range x.refs {
			id, err := w.idOf(ref)
			if err != nil {
				return nil, err
			}
			if id == "" {
				id = standsFor("member", ref)
			}
			*x.to = append(*x.to, id)
		}
	}
	return append(changes, m), nil
}

// idOf is the id of a member; "" where nothing has the name.
func (w *writing) idOf(ref string) (id string, err error) {
	if id, ok := idOf(ref); ok {
		return id, nil
	}
	if strings.ContainsAny(ref, "=/") {
		return "", fmt.Errorf("%s is of another directory, and cannot be a member there", ref)
	}
	user, err := w.called(connect.User, ref)
	if err != nil {
		return "", err
	}
	group, err := w.called(connect.Group, ref)
	if err == nil && user != "" && group != "" {
		err = fmt.Errorf("there is a user %s and a group %s, so that it is not clear who is meant", ref, ref)
	}
	return user + group, err
}

// identified are changes with the ids of those who were made since; missing is one who is not there.
func (w *writing) identified(changes []connect.ValueChange) (known []connect.ValueChange, missing string, err error) {
	known = slices.Clone(changes)
	for i, c := range changes {
		if c.Attribute != "members" {
			continue
		}
		known[i].Add = slices.Clone(c.Add)
		for j, id := range c.Add {
			named, is := stoodFor("member", id)
			if !is {
				continue
			}
			switch id, err := w.idOf(named); {
			case err != nil:
				return nil, "", err
			case id == "":
				missing = named
			default:
				known[i].Add[j] = id
			}
		}
	}
	return known, missing, nil
}

// applied is a resource with changes.
func applied(body raw, changes []connect.ValueChange) raw {
	out := raw(clone(map[string]any(body)).(map[string]any))
	for _, c := range changes {
		if c.Attribute == "members" {
			key := spelledAs(out, "members")
			list, _ := out[key].([]any)
			list = slices.DeleteFunc(
				slices.Clone(list),
				func(m any) bool { return slices.Contains(c.Delete, memberID(m)) },
			)
			for _, id := range c.Add {
				list = append(list, object{"value": id})
			}
			out[key] = list
			continue
		}
		in, key := at(out, c.Attribute, true)
		delete(in, key)
		if len(c.Add) > 0 {
			in[key] = plainValue(c.Add[0])
		}
	}
	return out
}

// plainValue reads what written wrote.
func plainValue(text string) (v any) {
	if err := unmarshal([]byte(text), &v); err != nil {
		panic(err) // it was written here
	}
	return v
}

// patchOf is one request for all changes (RFC 7644 section 3.5.2), so that all are made or none.
func patchOf(changes []connect.ValueChange) object {
	var all []object
	for _, c := range changes {
		switch {
		case c.Attribute == "members":
			for _, id := range c.Delete {
				all = append(all, object{"op": "remove", "path": memberPath(id)})
			}
			var list []object
			for _, id := range c.Add {
				list = append(list, object{"value": id})
			}
			if list != nil {
				all = append(all, object{"op": "add", "path": "members", "value": list})
			}
		case len(c.Add) > 0:
			value := plainValue(c.Add[0])
			for _, part := range partsGone(c.Attribute, c.Delete, value) { // replace leaves those that it does not name
				all = append(all, object{"op": "remove", "path": c.Attribute + "." + part})
			}
			all = append(all, object{"op": "replace", "path": c.Attribute, "value": value})
		default:
			all = append(all, object{"op": "remove", "path": c.Attribute})
		}
	}
	return object{"schemas": []string{PatchMessage}, "Operations": all}
}

// partsGone are the parts of the value of an attribute that another does not have.
func partsGone(path string, was []string, is any) (parts []string) {
	a := find(core(connect.User), path)
	if own, enterprise := strings.CutPrefix(path, EnterpriseSchema+":"); enterprise {
		a = find(Schemas[2].Attributes, own)
	}
	now, both := is.(map[string]any)
	if a == nil || !both || len(was) == 0 {
		return nil
	}
	before, _ := plainValue(was[0]).(map[string]any)
	for part := range before {
		known := find(a.Sub, part)
		if _, stays := now[spelledAs(now, part)]; !stays && known != nil && known.Mutability != "readOnly" {
			parts = append(parts, known.Name)
		}
	}
	slices.Sort(parts)
	return parts
}

// Text is the request that makes a modification.
func (w *writing) Text(m *connect.Modification) string {
	version := ""
	if m.Version != "" {
		version = "If-Match: " + m.Version + "\n"
	}
	method, body := "PATCH", patchOf(m.Changes)
	switch {
	case m.Gone:
		return "DELETE " + m.At + "\n" + version
	case m.Entry != nil:
		method, body, version = "POST", entered(m), ""
	}
	text, err := json.MarshalIndent(body, "", "  ")
	if err != nil {
		panic(err) // it is of what was read as JSON
	}
	return fmt.Sprintf("%s %s\n%s%s\n", method, m.At, version, text)
}

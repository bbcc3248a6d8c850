package scim

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"gatemap/connect"
)

// lookNew sees that a resource can be made, and says with which values.
func (w *writing) lookNew(r *connect.Rewrite) (*connect.Modification, error) {
	n := r.Named()
	switch id, err := w.called(n.Kind, n.Name); {
	case err != nil:
		return nil, fmt.Errorf("%s: %w", n, err)
	case id != "":
		theirs := fmt.Sprintf("there is a %s of this name already", n.Kind)
		return nil, &connect.ElsewhereError{Rewrite: r, Theirs: theirs}
	}
	m := &connect.Modification{At: listOf(n.Kind), Version: w.said}
	body, err := w.newBody(r)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", n, err)
	}
	m.Entry = entryOf(body)
	of := w.job.Source.Accounts
	m.GetsPassword = n.Kind == connect.User && (of == nil || of.Password != "none")
	return m, nil
}

// newBody is the body of a new resource; that of a group has no members yet.
func (w *writing) newBody(r *connect.Rewrite) (object, error) {
	if r.Group != nil {
		w.coming[r.Group.After.Name] = true
		body := object{"schemas": []any{GroupSchema}, "displayName": r.Group.After.Name}
		if r.Group.After.Description != "" {
			body["description"] = r.Group.After.Description
		}
		return body, nil
	}
	resource, err := w.d.resource(connect.User, bodyOf(r.User.After))
	if err != nil {
		return nil, err
	}
	body, schemas := resource.Body, []any{UserSchema}
	body["active"] = r.User.After.IsActive()
	if body[EnterpriseSchema] != nil {
		schemas = append(schemas, EnterpriseSchema)
	}
	body["schemas"] = schemas
	return body, nil
}

// lookGone is the removal of a group, with what it takes to put it back.
func (w *writing) lookGone(at string, body raw, version string) (*connect.Modification, error) {
	resource, err := w.d.resource(connect.Group, body)
	if err != nil {
		return nil, err
	}
	resource.Body["schemas"] = []any{GroupSchema}
	delete(resource.Body, "members")
	return &connect.Modification{At: at, Gone: true, Entry: entryOf(resource.Body), Version: version}, nil
}

// entryOf are the values of a body, and entered the body of values.
func entryOf(body object) (entry []connect.ValueChange) {
	for _, key := range slices.Sorted(maps.Keys(body)) {
		entry = append(entry, connect.ValueChange{Attribute: key, Add: written(body[key])})
	}
	return entry
}

func entered(m *connect.Modification) object {
	body := object{}
	for _, v := range m.Entry {
		body[v.Attribute] = plainValue(v.Add[0])
	}
	return body
}

// listOf is where resources of a kind are, and kindAt the kind of what is at a path.
func listOf(k connect.Kind) string { return "/" + TypeName(k) + "s" }

func kindAt(path string) connect.Kind {
	if strings.HasPrefix(path, listOf(connect.Group)) {
		return connect.Group
	}
	return connect.User
}

// add makes a resource (RFC 7644 section 3.3), with a first password where new accounts get one.
func (w *writing) add(m *connect.Modification) (connect.Made, error) {
	body, kind := entered(m), kindAt(m.At)
	password := ""
	if m.GetsPassword {
		password = connect.FirstPassword()
		body["password"] = password
	}
	text, err := json.Marshal(body)
	if err != nil {
		return connect.NotMade, err
	}
	var made raw
	if _, err = w.ask(w.ctx, http.MethodPost, m.At, text, "", &made); err != nil {
		return madeBy(err), err
	}
	id := made.id()
	if id == "" {
		if id, err = w.called(kind, raw(body).named(kind)); err != nil || id == "" {
			return connect.Unknown, cmp.Or(err, fmt.Errorf("it does not say which id it gave"))
		}
	}
	m.At, m.Password = pathOf(kind, id), password
	return connect.IsMade, nil
}

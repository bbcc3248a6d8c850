package scim

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"

	"gatemap/connect"
)

// lookNew sees that a resource can be made, and says with which values.
func (w *writing) lookNew(r *connect.Rewrite) (*connect.Modification, error) {
	u := r.User.After
	switch id, err := w.called(connect.User, u.Name); {
	case err != nil:
		return nil, fmt.Errorf("%s: %w", r.Named(), err)
	case id != "":
		return nil, &connect.ElsewhereError{Rewrite: r, Theirs: "there is a user of this name already"}
	}
	resource, err := w.d.resource(connect.User, bodyOf(u))
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.Named(), err)
	}
	body := resource.Body
	body["active"] = u.IsActive()
	schemas := []any{UserSchema}
	if body[EnterpriseSchema] != nil {
		schemas = append(schemas, EnterpriseSchema)
	}
	body["schemas"] = schemas
	m := &connect.Modification{At: "/Users", Version: w.said}
	for _, key := range slices.Sorted(maps.Keys(body)) {
		m.Entry = append(m.Entry, connect.ValueChange{Attribute: key, Add: written(body[key])})
	}
	of := w.job.Source.Accounts
	m.GetsPassword = of == nil || of.Password != "none"
	return m, nil
}

// entered is the body of a resource that is made.
func entered(m *connect.Modification) object {
	body := object{}
	for _, v := range m.Entry {
		body[v.Attribute] = plainValue(v.Add[0])
	}
	return body
}

// add makes a resource (RFC 7644 section 3.3), with a first password where new accounts get one.
func (w *writing) add(m *connect.Modification) (connect.Made, error) {
	body := entered(m)
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
		if id, err = w.called(connect.User, body["userName"].(string)); err != nil || id == "" {
			return connect.Unknown, cmp.Or(err, fmt.Errorf("it does not say which id it gave"))
		}
	}
	m.At, m.Password = pathOf(connect.User, id), password
	return connect.IsMade, nil
}

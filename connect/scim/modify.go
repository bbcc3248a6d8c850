package scim

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"gatemap/connect"
)

// Make writes a resource and reads it again.
func (w *writing) Make(r *connect.Rewrite, m *connect.Modification) (made connect.Made, err error) {
	switch {
	case m.Gone:
		_, err = w.ask(w.ctx, http.MethodDelete, m.At, nil, m.Version, nil)
		made = madeBy(err)
	case m.Entry != nil:
		made, err = w.add(m)
		delete(w.coming, r.Named().Name)
	default:
		made, err = w.modify(m.At, m.Changes, m.Version)
	}
	if err != nil {
		return made, w.refused(r, made, err)
	}
	if m.Gone {
		return connect.IsMade, nil
	}
	body, _, err := w.read(m.At)
	switch {
	case err != nil:
		return connect.IsMade, fmt.Errorf("%s: %w", r.Named(), err)
	case body == nil:
		return connect.IsMade, fmt.Errorf("%s: the server took it, and does not have it", r.Named())
	}
	if m.Entry != nil {
		m.Becomes = w.sum(r.Named().Kind, body)
	}
	left, err := w.left(r, m, body)
	if err == nil && left != "" {
		err = fmt.Errorf("%s: the server took it, and the resource is not what it was to be: %s", r.Named(), left)
	}
	return connect.IsMade, err
}

// madeBy says whether a request was made that gave an error.
func madeBy(err error) connect.Made {
	var status *statusError
	switch {
	case err == nil:
		return connect.IsMade
	case !errors.As(err, &status) || status.status/100 == 5 && status.status != http.StatusNotImplemented:
		return connect.Unknown
	}
	return connect.NotMade
}

// refused says why a resource is not written.
func (w *writing) refused(r *connect.Rewrite, made connect.Made, err error) error {
	switch {
	case made != connect.NotMade:
		return fmt.Errorf("%s: %w", r.Named(), err)
	case hasStatus(err, http.StatusPreconditionFailed, http.StatusNotFound):
		return &connect.ElsewhereError{Rewrite: r, Theirs: "it was modified while this was committed"}
	case hasStatus(err, http.StatusConflict) && r.New():
		return &connect.ElsewhereError{Rewrite: r, Theirs: "the name is taken"}
	case hasStatus(err, http.StatusForbidden):
		return fmt.Errorf("%s: the token may not write it (403)", r.Named())
	}
	return fmt.Errorf("%s: the server refuses it: %w", r.Named(), err)
}

// modify makes changes of a resource, all of them or none. With a version it does only while that is the
// one of the resource.
func (w *writing) modify(at string, changes []connect.ValueChange, version string) (connect.Made, error) {
	changes, missing, err := w.identified(changes)
	if err == nil && missing != "" {
		err = fmt.Errorf("there is no user or group %s", missing)
	}
	if err != nil {
		return connect.NotMade, err
	}
	body, err := json.Marshal(patchOf(changes))
	if err != nil {
		return connect.NotMade, err
	}
	_, err = w.ask(w.ctx, http.MethodPatch, at, body, version, nil)
	if knowsNoPatch(err) {
		return w.replace(at, changes, version)
	}
	return madeBy(err), err
}

// errNoVersion says that a server can be written only so that changes of others are lost.
var errNoVersion = errors.New(
	"it knows no PATCH and tells no versions, so that what somebody else changes at the same time would be lost",
)

// replace is modify at a server that knows no PATCH: the whole resource is put back with the changes.
func (w *writing) replace(at string, changes []connect.ValueChange, version string) (connect.Made, error) {
	if version == "" {
		return connect.NotMade, errNoVersion
	}
	body, is, err := w.read(at)
	if err != nil {
		return connect.NotMade, err
	}
	if body == nil || is != version {
		return connect.NotMade, &statusError{http.StatusPreconditionFailed, "it has another version now"}
	}
	err = w.put(w.ctx, at, applied(body, changes), version)
	return madeBy(err), err
}

// left says what of a record that was written is not as it is to be. A server may add parts to values,
// such as a name as it is written in full.
func (w *writing) left(r *connect.Rewrite, m *connect.Modification, body raw) (string, error) {
	if r.Group != nil {
		now, err := w.taken(r, body)
		if err != nil {
			return "", err
		}
		return r.Differs(now, true), nil
	}
	there, err := w.d.resource(connect.User, body)
	if err != nil {
		return "", fmt.Errorf("%s: %w", r.Named(), err)
	}
	var lacks []string
	for _, c := range slices.Concat(m.Changes, m.Entry) {
		is, key := at(there.Body, c.Attribute, false)
		switch {
		case c.Attribute == "schemas":
		case len(c.Add) == 0 && is[key] != nil, len(c.Add) > 0 && !includes(is[key], plainValue(c.Add[0])):
			lacks = append(lacks, c.Attribute)
		}
	}
	return strings.Join(lacks, ", "), nil
}

// includes says that a value has all that another has: of several values each, in any order.
func includes(is, want any) bool {
	switch want := want.(type) {
	case map[string]any:
		has, both := is.(map[string]any)
		for key, part := range want {
			both = both && includes(has[spelledAs(has, key)], part)
		}
		return both
	case []any:
		has, several := is.([]any)
		if !several || len(has) != len(want) {
			return false
		}
		left := slices.Clone(has)
		for _, w := range want {
			i := slices.IndexFunc(left, func(x any) bool { return includes(x, w) })
			if i < 0 {
				return false
			}
			left = slices.Delete(left, i, i+1)
		}
		return true
	}
	return slices.Equal(written(is), written(want))
}

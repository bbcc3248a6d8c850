package ldap

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/place"
)

// assertion is the control by which a modification is made only while something holds of the entry
// (RFC 4528).
const assertion = "1.3.6.1.1.12"

// versions are the attributes of which a server gives another value to every modification of an
// entry, the first that it has.
var versions = []string{"entryCSN", "uSNChanged"}

// writing writes entries over one connection.
type writing struct {
	*Conn
	job      *connect.Job
	asserts  bool // the server knows assertions
	searches []search
}

// Writing connects to one server, or to the first that answers.
func (d *Document) Writing(ctx context.Context, j *connect.Job, at string) (connect.Writing, error) {
	client := New(j.Source, j.Host)
	dial := client.Connect
	if at != "" {
		dial = func(ctx context.Context) (*Conn, error) { return client.connect(ctx, at) }
		if !slices.ContainsFunc(d.Servers, func(s place.Text) bool { return s.Value == at }) {
			return nil, connect.ErrNoServer
		}
	}
	conn, err := dial(ctx)
	if err != nil {
		return nil, err
	}
	root, err := conn.rootEntry()
	if err != nil {
		conn.Close()
		return nil, &Error{"base", conn.server, err}
	}
	searches, err := conn.searches(j.Tables)
	if err != nil {
		conn.Close()
		return nil, err
	}
	asserts := slices.Contains(root.GetEqualFoldAttributeValues("supportedControl"), assertion)
	return &writing{conn, j, asserts, searches}, nil
}

// Look reads the entry of a record as its search does, and works out how it is to be modified.
func (w *writing) Look(r *connect.Rewrite) (*connect.Modification, error) {
	e, raw, err := w.entryOf(r)
	if err != nil {
		return nil, err
	}
	now := w.taken(r, e)
	if theirs := r.Differs(now, false); theirs != "" {
		return nil, &connect.ElsewhereError{Rewrite: r, Theirs: theirs}
	}
	m := &modifying{entry: e, classes: raw.GetEqualFoldAttributeValues("objectClass"), source: w.job.Source}
	if r.User != nil {
		err = m.user(r.User)
	} else {
		err = m.group(r.Group)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", r.Named(), err)
	}
	return &connect.Modification{DN: raw.DN, Changes: m.changes, Version: version(raw)}, nil
}

// entryOf reads the entry of a record, with the filter of the table that means it.
func (w *writing) entryOf(r *connect.Rewrite) (*connect.Entry, *ldap.Entry, error) {
	kind := r.Named().Kind
	i := slices.IndexFunc(w.searches, func(s search) bool { return s.kind == kind })
	if i < 0 || r.DN() == "" {
		return nil, nil, fmt.Errorf("%s has no entry that is known", r.Named())
	}
	s := w.searches[i]
	found, err := w.read(r.DN(), s.filter, slices.Concat(s.attributes, versions, []string{"objectClass"}))
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", r.Named(), err)
	}
	if found == nil {
		return nil, nil, &connect.ElsewhereError{
			Rewrite: r,
			Theirs:  fmt.Sprintf("there is no entry %q any more, or it is not one of those meant", r.DN()),
		}
	}
	e, err := w.entry(found)
	return e, found, err
}

// read reads one entry; nil if there is none, or a filter does not mean it.
func (w *writing) read(dn, filter string, attributes []string) (*ldap.Entry, error) {
	ask := ldap.NewSearchRequest(dn, ldap.ScopeBaseObject, ldap.NeverDerefAliases, 1, 0, false, filter, attributes, nil)
	found, err := w.ldap.Search(ask)
	switch {
	case ldap.IsErrorWithCode(err, ldap.LDAPResultNoSuchObject):
		return nil, nil
	case err != nil:
		return nil, plain(err)
	case len(found.Entries) == 0:
		return nil, nil
	}
	return found.Entries[0], nil
}

// taken is the record that an entry is now.
func (w *writing) taken(r *connect.Rewrite, e *connect.Entry) connect.Records {
	var one connect.Records
	w.job.Tables.TakeAs(r.Named().Kind, e, &one)
	w.job.Tables.Finish(&one)
	return one
}

func version(e *ldap.Entry) string {
	for _, attribute := range versions {
		if v := e.GetEqualFoldAttributeValue(attribute); v != "" {
			return attribute + "=" + v
		}
	}
	return ""
}

// Make modifies an entry and reads it again.
func (w *writing) Make(r *connect.Rewrite, m *connect.Modification) (connect.Made, error) {
	err := w.modify(m.DN, m.Changes, m.Version)
	var result *ldap.Error
	switch {
	case err == nil:
	case !errors.As(err, &result) || result.ResultCode >= ldap.ErrorNetwork:
		return connect.Unknown, fmt.Errorf("%s: %w", r.Named(), plain(err))
	case slices.Contains(movedCodes, result.ResultCode):
		return connect.NotMade, &connect.ElsewhereError{Rewrite: r, Theirs: "it was modified while this was committed"}
	case result.ResultCode == ldap.LDAPResultInsufficientAccessRights:
		return connect.NotMade, fmt.Errorf("%s: the account that binds may not modify %q", r.Named(), m.DN)
	default:
		return connect.NotMade, fmt.Errorf("%s: the server refuses it: %w", r.Named(), plain(err))
	}
	e, _, err := w.entryOf(r)
	if err != nil {
		return connect.IsMade, err
	}
	if left := r.Differs(w.taken(r, e), true); left != "" {
		err = fmt.Errorf("%s: the server took it, and the entry is not what it was to be: %s", r.Named(), left)
		return connect.IsMade, err
	}
	return connect.IsMade, nil
}

// movedCodes are the results of a modification of an entry that is not what it was any more.
var movedCodes = []uint16{
	ldap.LDAPResultAssertionFailed, ldap.LDAPResultNoSuchAttribute, ldap.LDAPResultAttributeOrValueExists, ldap.LDAPResultNoSuchObject,
}

// modify makes changes of an entry, all of them or none. With a version it does only while that is
// the one of the entry.
func (w *writing) modify(dn string, changes []connect.ValueChange, version string) error {
	request := ldap.NewModifyRequest(dn, nil)
	for _, c := range changes {
		if len(c.Delete) > 0 {
			request.Delete(c.Attribute, c.Delete)
		}
		if len(c.Add) > 0 {
			request.Add(c.Attribute, c.Add)
		}
	}
	if version != "" && w.asserts {
		filter, err := ldap.CompileFilter("(" + version + ")")
		if err != nil {
			return err
		}
		request.Controls = append(request.Controls, ldap.NewControlString(assertion, true, string(filter.Bytes())))
	}
	return w.ldap.Modify(request)
}

// Undo takes back what is there of a modification.
func (w *writing) Undo(m *connect.Modification, made connect.Made) error {
	if made == connect.NotMade {
		return nil
	}
	attributes := append(slices.Clone(versions), "modifiersName")
	for _, c := range m.Changes {
		attributes = append(attributes, c.Attribute)
	}
	raw, err := w.read(m.DN, "(objectClass=*)", attributes)
	if err != nil || raw == nil || m.Version != "" && version(raw) == m.Version {
		return err // it is gone, or was not modified
	}
	e, err := w.entry(raw)
	if err != nil {
		return err
	}
	ours := made == connect.IsMade ||
		dnKey(raw.GetEqualFoldAttributeValue("modifiersName")) == dnKey(w.client.ldap.Bind.Value)
	back := undone(e, m, ours)
	if back == nil {
		return nil
	}
	if err := w.modify(m.DN, back, version(raw)); err != nil {
		return fmt.Errorf("the entry %q cannot be put back: %w", m.DN, plain(err))
	}
	return nil
}

// undone is what takes back what is there of a modification. What was added tells whether it is; for
// what was only deleted, ours does.
func undone(e *connect.Entry, m *connect.Modification, ours bool) (back []connect.ValueChange) {
	for _, c := range m.Changes {
		added := among(e, c.Attribute, c.Add)
		if len(added) < len(c.Add) || len(c.Add) == 0 && !ours {
			continue // somebody else has changed it since
		}
		b := connect.ValueChange{Attribute: c.Attribute, Delete: added}
		there := among(e, c.Attribute, c.Delete)
		b.Add = slices.DeleteFunc(slices.Clone(c.Delete), func(v string) bool { return slices.Contains(there, v) })
		if len(b.Delete)+len(b.Add) > 0 {
			back = append(back, b)
		}
	}
	return back
}

// among are those of some values that an attribute has.
func among(e *connect.Entry, attribute string, values []string) (there []string) {
	has := e.Values(attribute)
	for _, v := range values {
		if slices.ContainsFunc(has, func(h place.Text) bool { return connect.SameReference(h.Value, v) }) {
			there = append(there, v)
		}
	}
	return there
}

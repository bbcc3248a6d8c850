package ldap

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// assertion is the control by which a modification is made only while something holds of the entry
// (RFC 4528).
const assertion = "1.3.6.1.1.12"

// Shape is the user: attributes are taken in as they are written.
func (d *Document) Shape(u *directory.User) (*directory.User, error) { return u, nil }

// versions are the attributes of which a server gives another value to every modification of an
// entry, the first that it has.
var versions = []string{"entryCSN", "uSNChanged"}

// writing writes entries over one connection.
type writing struct {
	*Conn
	job        *connect.Job
	controller bool
	asserts    bool // the server knows assertions
	sets       bool // the server sets passwords (RFC 3062)
	searches   []search

	coming map[string]*connect.Modification // groups that are to be made, by distinguished name
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
	says := func(attribute, what string) bool {
		return slices.Contains(root.GetEqualFoldAttributeValues(attribute), what)
	}
	return &writing{
		Conn: conn, job: j, searches: searches, controller: says("supportedCapabilities", isController),
		coming:  map[string]*connect.Modification{},
		asserts: says("supportedControl", assertion), sets: says("supportedExtension", setsPassword),
	}, nil
}

// Look reads the entry of a record as its search does, and works out how it is to be modified.
func (w *writing) Look(r *connect.Rewrite, written bool) (*connect.Modification, error) {
	if r.New() {
		return w.lookNew(r)
	}
	if new := w.coming[dnKey(r.DN())]; new != nil && r.Follows() && !written {
		return w.lookComing(r, new)
	}
	e, raw, err := w.entryOf(r, r.DN())
	if err != nil {
		return nil, err
	}
	if is, err := r.Is(w.taken(r, e), written); is || err != nil {
		return &connect.Modification{At: raw.DN}, err
	}
	switch {
	case r.Goes():
		return w.lookGone(raw)
	case r.Moves():
		return w.lookMove(r, raw)
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
	return &connect.Modification{At: raw.DN, Changes: m.changes, Version: version(raw)}, nil
}

// entryOf reads the entry of a record where it stands, with the filter of the table that means it.
func (w *writing) entryOf(r *connect.Rewrite, dn string) (*connect.Entry, *ldap.Entry, error) {
	kind := r.Named().Kind
	i := slices.IndexFunc(w.searches, func(s search) bool { return s.kind == kind })
	if i < 0 || dn == "" {
		return nil, nil, fmt.Errorf("%s has no entry that is known", r.Named())
	}
	s := w.searches[i]
	found, err := w.read(dn, s.filter, slices.Concat(s.attributes, versions, []string{"objectClass"}))
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", r.Named(), err)
	}
	if found == nil {
		return nil, nil, &connect.ElsewhereError{
			Rewrite: r,
			Theirs:  fmt.Sprintf("there is no entry %q any more, or it is not one of those meant", dn),
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

// Make writes an entry and reads it again.
func (w *writing) Make(r *connect.Rewrite, m *connect.Modification) (made connect.Made, err error) {
	switch {
	case m.Gone:
		err = w.remove(m)
		made = madeBy(err)
	case m.Entry != nil:
		made, err = w.add(m)
		delete(w.coming, dnKey(m.At))
	case m.Below != "":
		err = w.move(m.At, m.Below, m.Version)
		made = madeBy(err)
	default:
		err = w.modify(m.At, m.Changes, m.Version)
		made = madeBy(err)
	}
	if err != nil {
		return made, w.refused(r, m, made, err)
	}
	if m.Gone {
		return connect.IsMade, nil
	}
	e, _, err := w.entryOf(r, r.Becomes())
	if err != nil {
		return connect.IsMade, err
	}
	if left := r.Differs(w.taken(r, e), true); left != "" {
		err = fmt.Errorf("%s: the server took it, and the entry is not what it was to be: %s", r.Named(), left)
		return connect.IsMade, err
	}
	return connect.IsMade, nil
}

// madeBy says whether an operation was made that gave an error.
func madeBy(err error) connect.Made {
	var result *ldap.Error
	switch {
	case err == nil:
		return connect.IsMade
	case !errors.As(err, &result) || result.ResultCode >= ldap.ErrorNetwork:
		return connect.Unknown
	}
	return connect.NotMade
}

// refused says why an entry is not written.
func (w *writing) refused(r *connect.Rewrite, m *connect.Modification, made connect.Made, err error) error {
	var result *ldap.Error
	switch {
	case made != connect.NotMade || !errors.As(err, &result):
		return fmt.Errorf("%s: %w", r.Named(), plain(err))
	case slices.Contains(movedCodes, result.ResultCode):
		return &connect.ElsewhereError{Rewrite: r, Theirs: "it was modified while this was committed"}
	case result.ResultCode == ldap.LDAPResultInsufficientAccessRights:
		return fmt.Errorf("%s: the account that binds may not modify %q", r.Named(), m.At)
	}
	return fmt.Errorf("%s: the server refuses it: %w", r.Named(), plain(err))
}

// movedCodes are the results of a modification of an entry that is not what it was any more.
var movedCodes = []uint16{
	ldap.LDAPResultAssertionFailed, ldap.LDAPResultNoSuchAttribute, ldap.LDAPResultAttributeOrValueExists,
	ldap.LDAPResultNoSuchObject,
	ldap.LDAPResultEntryAlreadyExists,
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
	var err error
	if request.Controls, err = w.while(version); err != nil {
		return err
	}
	return w.ldap.Modify(request)
}

// while has an operation be done only while a version is the one of its entry; "" says nothing.
func (w *writing) while(version string) ([]ldap.Control, error) {
	if version == "" || !w.asserts {
		return nil, nil
	}
	filter, err := ldap.CompileFilter("(" + version + ")")
	if err != nil {
		return nil, err
	}
	return []ldap.Control{ldap.NewControlString(assertion, true, string(filter.Bytes()))}, nil
}

package ldap

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"

	"github.com/go-ldap/ldap/v3"
	utf16 "golang.org/x/text/encoding/unicode"

	"gatemap/connect"
	"gatemap/core/account"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// setsPassword is the operation by which a server sets a password as it keeps them (RFC 3062).
const setsPassword = "1.3.6.1.4.1.4203.1.11.1"

// lookNew sees that the entry of a new record can be made, and says with which values.
func (w *writing) lookNew(r *connect.Rewrite) (*connect.Modification, error) {
	if r.Group != nil {
		return w.lookNewGroup(r)
	}
	u := r.User.After
	if err := w.isFree(r, r.DN()); err != nil {
		return nil, err
	}
	table := w.job.Source.Users
	unlike := []struct{ what, filter string }{{"the name " + u.Name, equals(table.Name, u.Name)}}
	if theirs, ok := connect.Written(table, "uidNumber"); ok && u.Attributes.First("uidNumber") != "" {
		number := u.Attributes.First("uidNumber")
		unlike = append(unlike, struct{ what, filter string }{"the number " + number, equals(theirs, number)})
	}
	for _, x := range unlike {
		switch dn, err := w.who(connect.User, x.filter); {
		case err != nil:
			return nil, fmt.Errorf("%s: %w", r.Named(), err)
		case dn != "":
			return nil, &connect.ElsewhereError{Rewrite: r, Theirs: fmt.Sprintf("%s is that of %q", x.what, dn)}
		}
	}
	e := &adding{source: w.job.Source, user: u, controller: w.controller}
	if err := e.fill(); err != nil {
		return nil, fmt.Errorf("%s: %w", r.Named(), err)
	}
	of := w.job.Source.Accounts
	gets := (of == nil || of.Password != "none") && (w.controller || w.sets)
	return &connect.Modification{At: u.DN, Entry: e.entry(), GetsPassword: gets}, nil
}

func equals(attribute, value string) string {
	return "(" + attribute + "=" + ldap.EscapeFilter(value) + ")"
}

// isFree sees that an entry can be put somewhere: where the source reads records of its kind, below an
// entry that is there, and in nobody's place.
func (w *writing) isFree(r *connect.Rewrite, dn string) error {
	within := func(s search) bool { return s.kind == r.Named().Kind && below(dn, s.base.Value) }
	if !slices.ContainsFunc(w.searches, within) {
		return fmt.Errorf("%s: the source does not read %q: it is below none of its bases", r.Named(), dn)
	}
	_, above := name.CutDN(dn)
	if found, err := w.read(above, "(objectClass=*)", []string{"1.1"}); err != nil || found == nil {
		return cmp.Or(err, fmt.Errorf("%s: there is no entry %q to put it below; make that first", r.Named(), above))
	}
	found, err := w.read(dn, "(objectClass=*)", []string{"1.1"})
	if err == nil && found != nil {
		err = &connect.ElsewhereError{Rewrite: r, Theirs: fmt.Sprintf("there is an entry %q already", dn)}
	}
	return err
}

// who is the distinguished name of an entry below the bases of one kind that a filter means; "" if none
// is.
func (w *writing) who(kind connect.Kind, filter string) (dn string, err error) {
	for _, s := range w.searches {
		if s.kind != kind {
			continue
		}
		ask := ldap.NewSearchRequest(
			s.base.Value,
			ldap.ScopeWholeSubtree,
			ldap.NeverDerefAliases,
			1,
			0,
			false,
			filter,
			[]string{"1.1"},
			nil,
		)
		found, err := w.ldap.Search(ask)
		if err != nil && !ldap.IsErrorWithCode(err, ldap.LDAPResultSizeLimitExceeded) {
			return "", plain(err)
		}
		if len(found.Entries) > 0 {
			return found.Entries[0].DN, nil
		}
	}
	return "", nil
}

// adding works out the entry of a new user or group.
type adding struct {
	source     *directory.Source
	user       *directory.User // nil: of a group
	controller bool
	values     []connect.ValueChange
}

// has says whether the entry has an attribute.
func (a *adding) has(attribute string) bool {
	return slices.ContainsFunc(
		a.values,
		func(v connect.ValueChange) bool { return strings.EqualFold(v.Attribute, attribute) },
	)
}

// usual gives the entry values of an attribute, unless it has others.
func (a *adding) usual(attribute string, values ...string) {
	if !a.has(attribute) && len(values) > 0 && values[0] != "" {
		a.values = append(a.values, connect.ValueChange{Attribute: attribute, Add: values})
	}
}

func (a *adding) fill() error {
	u, table := a.user, a.source.Users
	if !u.IsActive() {
		return errors.New("a new account is active; switch it off afterwards")
	}
	if of := a.source.Accounts; of != nil {
		if err := a.besides(of.Entry, account.Value(u)); err != nil {
			return err
		}
	}
	a.usual(table.Name, u.Name)
	if err := a.called(u.DN); err != nil {
		return err
	}
	m := &modifying{source: a.source, entry: &connect.Entry{DN: u.DN}}
	for _, x := range u.Attributes {
		if err := m.attribute(table, x.Name, x.Values); err != nil {
			return fmt.Errorf("%s %w", x.Name, err)
		}
	}
	if !u.Expires.IsZero() {
		if err := m.expires(table.Expires, u.Expires); err != nil {
			return fmt.Errorf("expires %w", err)
		}
	}
	for _, c := range m.changes {
		a.usual(c.Attribute, c.Add...)
	}
	a.classes()
	return nil
}

// besides are the values that the source has of every new entry, with attributes of the record in them.
func (a *adding) besides(entry map[string][]string, value func(string) string) error {
	for _, attribute := range slices.Sorted(maps.Keys(entry)) {
		var values []string
		for _, text := range entry[attribute] {
			written, lacks := name.ParsePattern(text).Write(value)
			if lacks != "" {
				return fmt.Errorf("%s of the new entry needs %s, which the record does not have", attribute, lacks)
			}
			values = append(values, written)
		}
		a.usual(attribute, values...)
	}
	return nil
}

// called gives the entry what its distinguished name begins with.
func (a *adding) called(dn string) error {
	parsed, err := ldap.ParseDN(dn)
	if err != nil {
		return err
	}
	for _, own := range parsed.RDNs[0].Attributes {
		a.usual(own.Type, own.Value)
	}
	return nil
}

// classes are the classes of the entry, where the source does not say them, and what these need.
func (a *adding) classes() {
	given, family := a.user.Attributes.First("displayName"), a.user.Attributes.First("name.familyName")
	if a.controller {
		const normal = 512 // NORMAL_ACCOUNT, and nothing that switches it off
		a.usual("objectClass", "top", "person", "organizationalPerson", "user")
		a.usual("userAccountControl", strconv.Itoa(normal))
		return
	}
	classes := []string{"inetOrgPerson"}
	if a.has("uidNumber") {
		classes = append(classes, "posixAccount")
	}
	a.usual("objectClass", classes...)
	a.usual("cn", cmp.Or(given, a.user.Name))
	a.usual("sn", cmp.Or(family, a.user.Name))
}

// entry is what the entry has, its classes first.
func (a *adding) entry() []connect.ValueChange {
	first := func(v connect.ValueChange) string {
		if strings.EqualFold(v.Attribute, "objectClass") {
			return ""
		}
		return strings.ToLower(v.Attribute)
	}
	slices.SortFunc(a.values, func(x, y connect.ValueChange) int { return cmp.Compare(first(x), first(y)) })
	return a.values
}

// add makes an entry, with a first password where the source has new accounts get one.
func (w *writing) add(m *connect.Modification) (connect.Made, error) {
	request := ldap.NewAddRequest(m.At, nil)
	for _, v := range m.Entry {
		request.Attribute(v.Attribute, v.Add)
	}
	password := ""
	if m.GetsPassword {
		password = connect.FirstPassword()
	}
	if password != "" && w.controller {
		quoted, err := utf16.UTF16(utf16.LittleEndian, utf16.IgnoreBOM).NewEncoder().String(`"` + password + `"`)
		if err != nil {
			return connect.NotMade, err
		}
		request.Attribute("unicodePwd", []string{quoted})
		request.Attribute("pwdLastSet", []string{"0"}) // to be changed at the first sign-in
	}
	if err := w.ldap.Add(request); err != nil {
		return madeBy(err), err
	}
	if password != "" && !w.controller {
		if _, err := w.ldap.PasswordModify(ldap.NewPasswordModifyRequest(m.At, "", password)); err != nil {
			return connect.IsMade, fmt.Errorf("the first password cannot be set: %w", plain(err))
		}
	}
	m.Password = password
	return connect.IsMade, nil
}

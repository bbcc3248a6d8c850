package connect_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/csv"
	"gatemap/connect/ldap"
	"gatemap/connect/ldif"
	"gatemap/core/directory"
	"gatemap/core/place"
)

const dump = `dn: dc=cindervale,dc=example
dc: cindervale

dn: uid=ilse.okonjo,ou=people,dc=cindervale,dc=example
objectClass: inetOrgPerson
uid: ilse.okonjo
cn;lang-es: Ilsa
cn: Ilse  Okonjo
mail: ilse@cindervale.example
userPassword: secret
userAccountControl: 514
seasonEnd: 20261231000000Z
gidNumber: crew
jpegPhoto:: /9g=

dn: uid=teo,OU=People , dc=Cindervale,dc=example
objectClass: inetOrgPerson
uid: teo
userAccountControl: 512

dn: cn=crew,ou=groups,dc=cindervale,dc=example
objectClass: groupOfNames
cn: crew
businessCategory: Mail
member: cn=crew,ou=groups,dc=cindervale,dc=example
member: uid=teo,ou=people,dc=cindervale,dc=example
memberUid: ilse.okonjo
owner: uid=teo,ou=people,dc=cindervale,dc=example

dn: cn=console,ou=devices,dc=cindervale,dc=example
objectClass: device
cn: console
ou: managed
`

func entries(t *testing.T) []connect.Entry {
	t.Helper()
	var errs place.Errors
	var list []connect.Entry
	ldif.Read(strings.NewReader(dump), "people.ldif", &errs, func(e *connect.Entry) { list = append(list, *e) })
	require.NoError(t, errs.Err())
	return list
}

func text(s string) place.Text { return place.Text{Value: s} }

func under(dn string) []directory.Base { return []directory.Base{{Text: text(dn)}} }

func TestFilters(t *testing.T) {
	list := entries(t)
	for written, want := range map[string]int{
		"(objectClass=inetOrgPerson)": 2, "(objectclass=INETORGPERSON)": 2, "(uid=*)": 2, "(!(uid=*))": 3,
		"(&(uid=*)(mail=*))": 1, "(|(uid=teo)(cn=crew))": 2, "(cn=ilse okonjo)": 1, "(cn=Il*kon*o)": 1, "(cn=*se o*)": 1, "(cn=x*)": 0,
		"(userAccountControl>=513)": 1, "(userAccountControl<=512)": 1, "(userAccountControl:1.2.840.113556.1.4.803:=2)": 1,
		"(userAccountControl:1.2.840.113556.1.4.804:=3)": 1, "(cn:caseExactMatch:=Console)": 0, "(cn:caseIgnoreMatch:=Console)": 1,
		"(seasonEnd>=20261201000000Z)": 1, `(cn=crew\2a)`: 0, "(cn;lang-es=ilsa)": 1,
	} {
		m, err := connect.CompileFilter(written)
		require.NoError(t, err, written)
		n := 0
		for i := range list {
			if m(&list[i]) {
				n++
			}
		}
		assert.Equal(t, want, n, written)
	}
	for _, bad := range []string{"", "uid=x", "(uid=x", "(&)(", "(cn:1.2.3:=x)", "(:dn:caseIgnoreMatch:=x)", "(userAccountControl:1.2.840.113556.1.4.803:=two)"} {
		_, err := connect.CompileFilter(bad)
		assert.Error(t, err, bad)
	}
}

func TestApply(t *testing.T) {
	var errs place.Errors
	r := apply(&directory.Source{
		Users: &directory.UserTable{
			Pick: directory.Pick{
				Base:   under("ou=people,dc=cindervale,dc=example"),
				Filter: text("(objectClass=inetOrgPerson)"),
				Name:   "uid",
			},
			Disabled: text(
				"(userAccountControl:1.2.840.113556.1.4.803:=2)",
			), Expires: directory.Date{Attribute: "seasonEnd"}, PrimaryGroup: "gidNumber",
			Attributes: map[string]string{"displayName": "cn", "emails": "mail", "photo": "jpegPhoto"},
		},
		Groups: &directory.GroupTable{
			Pick: directory.Pick{
				Base: under("ou=groups,dc=cindervale,dc=example"),
				Name: "cn",
			}, Members: []string{"member", "memberUid"}, Managers: "owner",
			Kind: map[directory.Kind]place.Text{
				"mail": text("(businessCategory=mail)"),
			}, UsableIn: map[directory.UsableIn]place.Text{"own": text("(cn=x)")},
		},
		Devices: &directory.DeviceTable{
			Pick:    directory.Pick{Filter: text("(objectClass=device)"), Name: "cn"},
			Managed: text("(ou=managed)"),
		},
	}, entries(t), &errs)
	require.NoError(t, errs.Err())
	require.Len(t, r.Users, 2)
	ilse := r.Users[0]
	assert.False(t, ilse.IsActive())
	assert.True(t, r.Users[1].IsActive())
	assert.Equal(t, "2026-12-31T00:00:00Z", ilse.Expires.Format("2006-01-02T15:04:05Z07:00"))
	assert.Equal(t, "crew", ilse.PrimaryGroup.Name)
	assert.Equal(
		t,
		map[string]any{"displayName": []any{"Ilse  Okonjo", "Ilsa"}, "emails": "ilse@cindervale.example"},
		ilse.Attributes.Plain(),
	)
	require.Len(t, r.Groups, 1)
	g := r.Groups[0]
	assert.EqualValues(t, "mail", g.Kind)
	assert.Empty(t, g.UsableIn)
	require.Len(t, g.Members.Any, 1, "a group that lists itself for want of members")
	require.Len(t, g.Members.Users, 1, "login names are of users alone")
	assert.Equal(t, "people.ldif:27", g.Members.Users[0].Place.String())
	assert.Len(t, g.Managers.Users, 1)
	require.Len(t, r.Devices, 1)
	assert.True(t, *r.Devices[0].Managed)
	assert.Nil(t, r.Devices[0].Compliant, "not asked for is unknown")
}

func TestApplyWithoutATableOfAttributes(t *testing.T) {
	var errs place.Errors
	r := apply(&directory.Source{Users: &directory.UserTable{Pick: directory.Pick{Name: "uid"}}}, entries(t), &errs)
	require.NoError(t, errs.Err())
	require.Len(t, r.Users, 2)
	assert.Empty(t, r.Users[0].Attributes.First("userPassword"))
	assert.Equal(t, "ilse@cindervale.example", r.Users[0].Attributes.First("mail"))
}

func TestApplyTellsWhatIsWrong(t *testing.T) {
	var errs place.Errors
	r := apply(&directory.Source{
		Users: &directory.UserTable{
			Pick:     directory.Pick{Base: under("people"), Filter: text("(objectClass=*)"), Name: "uid"},
			Disabled: text("(uid"), Expires: directory.Date{Attribute: "uid"},
		},
		Groups:  &directory.GroupTable{Pick: directory.Pick{Name: "cn"}},
		Devices: &directory.DeviceTable{},
	}, entries(t), &errs)
	for _, want := range []string{
		`base: "people" is not a distinguished name`, `disabled: "(uid" is not a filter (RFC 4515)`,
		"groups needs the key members", "devices needs the key name",
	} {
		assert.ErrorContains(t, errs.Err(), want)
	}
	rejected := ""
	for _, x := range r.Rejected {
		rejected += x.Error() + "\n"
	}
	for _, want := range []string{
		"people.ldif:21: entry \"cn=crew,ou=groups,dc=cindervale,dc=example\" is one of those meant, but has no uid",
		`people.ldif:18: entry "uid=teo,OU=People , dc=Cindervale,dc=example": uid "teo" is neither a generalized time`,
	} {
		assert.Contains(t, rejected, want)
	}
}

func TestAFileIsNotFollowed(t *testing.T) {
	var errs place.Errors
	connect.NewTables(
		&directory.Source{Connection: directory.Connection{Document: &csv.Document{}}, Follow: "stream"},
		&errs,
	)
	assert.ErrorContains(t, errs.Err(), "follow is not for csv; it is read as often as every says")
	_, _, err := connect.NewJob(&directory.Source{}, connect.Host{}, connect.Records{})
	assert.ErrorContains(t, err, "the source does not say what to read")
}

// Primary groups by number: the group that bears it, and nobody's where the user
// names none.
func TestPrimaryGroupsByNumber(t *testing.T) {
	var errs place.Errors
	entry := func(dn string, pairs ...string) connect.Entry {
		e := connect.Entry{DN: dn}
		for i := 0; i < len(pairs); i += 2 {
			e.Attributes = append(e.Attributes, connect.Attribute{Type: pairs[i], Values: []place.Text{text(pairs[i+1])}})
		}
		return e
	}
	sid := "\x01\x02\x00\x00\x00\x00\x00\x05\x20\x00\x00\x00\x01\x02\x00\x00"
	r := apply(&directory.Source{
		Users:  &directory.UserTable{Pick: directory.Pick{Name: "uid"}, PrimaryGroup: "gid"},
		Groups: &directory.GroupTable{Pick: directory.Pick{Name: "cn"}, Members: []string{"member"}, Number: "number"},
	}, []connect.Entry{
		entry(
			"uid=a",
			"uid",
			"a",
			"gid",
			"7",
		), entry("uid=b", "uid", "b"), entry("uid=c", "uid", "c", "gid", "513"), entry("uid=d", "uid", "d", "gid", "8"),
		entry(
			"cn=seven",
			"cn",
			"seven",
			"number",
			"7",
		), entry("cn=none", "cn", "none"), entry("cn=sid", "cn", "sid", "number", sid),
	}, &errs)
	require.NoError(t, errs.Err())
	for i, want := range []string{"cn=seven", "", "cn=sid", "8"} {
		assert.Equal(t, want, r.Users[i].PrimaryGroup.Name)
	}
}

func TestUniqueMembers(t *testing.T) {
	var errs place.Errors
	e := connect.Entry{
		DN: "cn=g",
		Attributes: []connect.Attribute{
			{Type: "cn", Values: []place.Text{text("g")}},
			{Type: "uniqueMember", Values: []place.Text{text("uid=a"), text("uid=b#'0101'B"), text("uid=c#'x'B"), text("cn=g")}},
		},
	}
	r := apply(
		&directory.Source{Groups: &directory.GroupTable{Pick: directory.Pick{Name: "cn"}, Members: []string{"uniqueMember"}}},
		[]connect.Entry{e},
		&errs,
	)
	require.NoError(t, errs.Err())
	var names []string
	for _, m := range r.Groups[0].Members.Any {
		names = append(names, m.Name)
	}
	assert.Equal(t, []string{"uid=a", "uid=b", "uid=c#'x'B"}, names)
}

func TestScopes(t *testing.T) {
	for written, want := range map[string]int{
		"dc=cindervale,dc=example": 5, "one:dc=cindervale,dc=example": 0, "base:dc=cindervale,dc=example": 1,
		"one:OU=people,dc=cindervale,dc=example": 2, "base:uid=teo,ou=people,dc=cindervale,dc=example": 1, "vale,dc=example": 0,
	} {
		var b directory.Base
		if err := b.UnmarshalText([]byte(written)); err != nil {
			assert.Equal(t, 0, want, "%v", err)
			continue
		}
		var errs place.Errors
		table := directory.DeviceTable{
			Pick: directory.Pick{Base: []directory.Base{b}, Name: "objectClass", Filter: text("(|(dc=*)(objectClass=*))")},
		}
		r := apply(&directory.Source{Devices: &table}, entries(t), &errs)
		require.NoError(t, errs.Err())
		assert.Len(t, append(r.Rejected, make([]place.Error, len(r.Devices))...), want, written)
	}
}

// A time is the same in all the forms in which sources write it.
func TestFormsOfATime(t *testing.T) {
	for _, c := range []struct {
		form          directory.Form
		written, want string
	}{
		{"", "20261231000000Z", "2026-12-31T00:00:00Z"}, {"time", "2026-12-31T01:00:00+01:00", "2026-12-31T00:00:00Z"},
		{"days", "20818", "2026-12-31T00:00:00Z"}, {"days", "0", "1970-01-01T00:00:00Z"}, {"days", "-1", ""},
		{"ticks", "134116992000000000", "2026-01-01T00:00:00Z"}, {"ticks", "0", ""}, {"ticks", "9223372036854775807", ""},
		{"ticks", "soon", "not a number of ticks"}, {"days", "9999999999", "a time beyond the year 9999"}, {"", "soon", "neither a generalized time"},
	} {
		var errs place.Errors
		e := connect.Entry{
			DN: "uid=a",
			Attributes: []connect.Attribute{
				{Type: "uid", Values: []place.Text{text("a")}},
				{Type: "end", Values: []place.Text{text(c.written)}},
			},
		}
		r := apply(
			&directory.Source{
				Users: &directory.UserTable{
					Pick:    directory.Pick{Name: "uid"},
					Expires: directory.Date{Attribute: "end", Form: c.form},
				},
			},
			[]connect.Entry{e},
			&errs,
		)
		require.NoError(t, errs.Err())
		switch {
		case len(r.Rejected) > 0:
			assert.Contains(t, r.Rejected[0].Message, c.want, c.written)
		case c.want == "":
			assert.True(t, r.Users[0].Expires.IsZero(), c.written)
		default:
			assert.Equal(t, c.want, r.Users[0].Expires.UTC().Format("2006-01-02T15:04:05Z"), "%s %s", c.form, c.written)
		}
	}
}

// Every value of the attribute of the name leads to the user, but never past the user whose
// name it is; and a login name that is nobody's nests no group by that name.
func TestFurtherLoginNames(t *testing.T) {
	var errs place.Errors
	var all []connect.Entry
	ldif.Read(strings.NewReader(`dn: uid=ilse,dc=x
objectClass: person
uid: ilse
uid: iokonjo
uid: teo

dn: uid=teo,dc=x
objectClass: person
uid: teo

dn: cn=crew,dc=x
objectClass: posixGroup
cn: crew
memberUid: iokonjo
memberUid: TEO
memberUid: staff

dn: cn=staff,dc=x
objectClass: posixGroup
cn: staff
memberUid: ilse
`), "people.ldif", &errs, func(e *connect.Entry) { all = append(all, *e) })
	r := apply(&directory.Source{
		Users: &directory.UserTable{Pick: directory.Pick{Filter: text("(objectClass=person)"), Name: "uid"}},
		Groups: &directory.GroupTable{
			Pick:    directory.Pick{Filter: text("(objectClass=posixGroup)"), Name: "cn"},
			Members: []string{"memberUid"},
		},
	}, all, &errs)
	require.NoError(t, errs.Err())
	var members []string
	for _, ref := range r.Groups[0].Members.Users {
		members = append(members, ref.Name)
	}
	assert.Equal(t, []string{"ilse", "TEO", "staff"}, members)
	b := directory.Build([]*directory.Document{{Name: "d", Users: r.Users, Groups: r.Groups}}, &errs)
	require.NoError(t, errs.Err())
	crew, err := b.FindGroup("crew", "")
	require.NoError(t, err)
	assert.Len(t, b.Members(crew), 2, "staff is a group, and no login name")
	for _, m := range b.Members(crew) {
		assert.Equal(t, directory.Direct, m.How)
	}
}

// A number that several groups have is told, and is the first one's.
func TestNumbersOfSeveralGroups(t *testing.T) {
	var errs place.Errors
	var all []connect.Entry
	ldif.Read(strings.NewReader(`dn: uid=ilse,dc=x
objectClass: person
uid: ilse
gidNumber: 500

dn: cn=crew,dc=x
objectClass: posixGroup
cn: crew
gidNumber: 500

dn: cn=staff,dc=x
objectClass: posixGroup
cn: staff
gidNumber: 500
`), "people.ldif", &errs, func(e *connect.Entry) { all = append(all, *e) })
	source := &directory.Source{
		Connection: directory.Connection{Document: &ldap.Document{}},
		Users: &directory.UserTable{
			Pick:         directory.Pick{Filter: text("(objectClass=person)"), Name: "uid"},
			PrimaryGroup: "gidNumber",
		},
		Groups: &directory.GroupTable{
			Pick:    directory.Pick{Filter: text("(objectClass=posixGroup)"), Name: "cn"},
			Members: []string{"memberUid"},
			Number:  "gidNumber",
		},
	}
	for range 2 {
		r := apply(source, all, &errs)
		require.NoError(t, errs.Err())
		assert.Equal(t, "cn=crew,dc=x", r.Users[0].PrimaryGroup.Name)
		require.Len(t, r.Rejected, 1)
		assert.Contains(
			t,
			r.Rejected[0].Error(),
			`people.ldif:11: the number 500 is of several groups, ["cn=crew,dc=x" "cn=staff,dc=x"]`,
		)
		assert.Len(t, r.Groups, 2, "both are taken")
	}
}

// apply picks users, groups and devices out of entries by the tables of a source.
func apply(source *directory.Source, entries []connect.Entry, errs *place.Errors) connect.Records {
	t := connect.NewTables(source, errs)
	var r connect.Records
	for i := range entries {
		t.Take(&entries[i], &r)
	}
	t.Finish(&r)
	return r
}

package connect_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
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
	list := ldif.Read(strings.NewReader(dump), "people.ldif", &errs)
	require.NoError(t, errs.Err())
	return list
}

func text(s string) place.Text { return place.Text{Value: s} }

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
	r := connect.Apply(&directory.Source{
		Users: &directory.UserTable{
			Pick:     directory.Pick{Base: text("ou=people,dc=cindervale,dc=example"), Filter: text("(objectClass=inetOrgPerson)"), Name: "uid"},
			Disabled: text("(userAccountControl:1.2.840.113556.1.4.803:=2)"), Expires: "seasonEnd", PrimaryGroup: "gidNumber",
			Attributes: map[string]string{"displayName": "cn", "emails": "mail", "photo": "jpegPhoto"},
		},
		Groups: &directory.GroupTable{
			Pick: directory.Pick{Base: text("ou=groups,dc=cindervale,dc=example"), Name: "cn"}, Members: []string{"member", "memberUid"}, Managers: "owner",
			Kind: map[directory.Kind]place.Text{"mail": text("(businessCategory=mail)")}, Opens: map[directory.Opens]place.Text{"own": text("(cn=x)")},
		},
		Devices: &directory.DeviceTable{Pick: directory.Pick{Filter: text("(objectClass=device)"), Name: "cn"}, Managed: text("(ou=managed)")},
	}, entries(t), &errs)
	require.NoError(t, errs.Err())
	require.Len(t, r.Users, 2)
	ilse := r.Users[0]
	assert.False(t, ilse.IsActive())
	assert.True(t, r.Users[1].IsActive())
	assert.Equal(t, "2026-12-31T00:00:00Z", ilse.Expires.Format("2006-01-02T15:04:05Z07:00"))
	assert.Equal(t, "crew", ilse.PrimaryGroup.Name)
	assert.Equal(t, map[string]any{"displayName": []any{"Ilse  Okonjo", "Ilsa"}, "emails": "ilse@cindervale.example"}, ilse.Attributes.Plain())
	require.Len(t, r.Groups, 1)
	g := r.Groups[0]
	assert.EqualValues(t, "mail", g.Kind)
	assert.Empty(t, g.Opens)
	require.Len(t, g.Members.Any, 2, "a group that lists itself for want of members")
	assert.Equal(t, "people.ldif:27", g.Members.Any[1].Place.String())
	assert.Len(t, g.Managers.Users, 1)
	require.Len(t, r.Devices, 1)
	assert.True(t, *r.Devices[0].Managed)
	assert.Nil(t, r.Devices[0].Compliant, "not asked for is unknown")
}

func TestApplyWithoutATableOfAttributes(t *testing.T) {
	var errs place.Errors
	r := connect.Apply(&directory.Source{Users: &directory.UserTable{Pick: directory.Pick{Name: "uid"}}}, entries(t), &errs)
	require.NoError(t, errs.Err())
	require.Len(t, r.Users, 2)
	assert.Empty(t, r.Users[0].Attributes.First("userPassword"))
	assert.Equal(t, "ilse@cindervale.example", r.Users[0].Attributes.First("mail"))
}

func TestApplyTellsWhatIsWrong(t *testing.T) {
	var errs place.Errors
	connect.Apply(&directory.Source{
		Users: &directory.UserTable{Pick: directory.Pick{Base: text("people"), Filter: text("(objectClass=*)"), Name: "uid"}, Disabled: text("(uid"), Expires: "uid"},
	}, entries(t), &errs)
	for _, want := range []string{
		`base: "people" is not a distinguished name`, `disabled: "(uid" is not a filter (RFC 4515)`, "people.ldif:21: entry \"cn=crew,ou=groups,dc=cindervale,dc=example\" is one of those meant, but has no uid",
		`uid "teo" is neither a generalized time`,
	} {
		assert.ErrorContains(t, errs.Err(), want)
	}
}

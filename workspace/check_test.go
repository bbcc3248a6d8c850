package workspace_test

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/service/intake"
	"gatemap/service/sourcecheck"
)

// A user who is found but comes to no mapped group is told apart from success,
// with what nearly was it.
func TestCheckTellsNearMisses(t *testing.T) {
	const people = "dn: uid=ida,ou=people,dc=x\nuid: ida\ntitle: Ida Brandt\naccountStatus: open\n\n" +
		"dn: cn=crew,ou=groups,dc=x\ncn: crew\nmember: uid=ida,ou=people,dc=x\n\n"
	for _, c := range []struct{ name, mapped, user, want string }{
		{"mapped", "crew", "ida", "good mapped: in archive: cindervale/crew"},
		{"another branch", `"cn=crew,ou=units,ou=groups,dc=x"`, "ida", "warned near miss: archive/mapping 1 names \"cn=crew,ou=units,ou=groups,dc=x\", and the user is in cn=crew,ou=groups,dc=x: a group of that name is in another branch"},
		{"one part", `"cn=crew,ou=group,dc=x"`, "ida", "the names differ in one part, ou=group and ou=groups"},
		{"nearly the name", `"cn=crews,ou=groups,dc=x"`, "ida", "the name is nearly the same"},
		{"nearly the bare name", "krew", "ida", "the name is nearly the same"},
		{"another directory", "ridge/crew", "ida", "the same name in another directory"},
		{"another altogether", "gardeners", "ida", "failed mapped: no line of any system names any of the groups"},
		{"another name of the user", "crew", "Ida Brandt", "warned near miss: uid=ida,ou=people,dc=x has \"Ida Brandt\" as title; the name that counts is \"ida\""},
		{"nobody", "crew", "nobody.at.all", "failed user: there is no user"},
	} {
		t.Run(c.name, func(t *testing.T) {
			o := startObservatory(
				t,
				map[string]string{
					"people.ldif":     people,
					"cindervale.yaml": strings.Replace(peopleMap, "groups: [engineers]", "groups: ["+c.mapped+"]", 1),
				},
			)
			var told []string
			got, err := o.Runs.TestDirectory(
				t.Context(),
				"cindervale",
				sourcecheck.Tested{User: c.user},
				func(s answer.Step) { told = append(told, s.State+" "+s.Name+": "+s.Detail) },
			)
			require.NoError(t, err)
			assert.Len(t, got.Steps, len(told))
			assert.Contains(t, strings.Join(told, "\n"), c.want)
			assert.Equal(t, c.name != "mapped", got.Failed())
		})
	}
	o := startObservatory(t, map[string]string{"people.ldif": people, "cindervale.yaml": peopleMap})
	_, err := o.Runs.TestDirectory(t.Context(), "cindervail", sourcecheck.Tested{}, func(answer.Step) {})
	assert.ErrorContains(t, err, "did you mean cindervale")
	require.NoError(t, os.Remove(o.dir+"/people.ldif"))
	got, err := o.Runs.TestDirectory(t.Context(), "cindervale", sourcecheck.Tested{}, func(answer.Step) {})
	require.NoError(t, err)
	assert.True(t, got.Failed())
}

// What a schedule brings in is committed by itself.
func TestASchedule(t *testing.T) {
	o := startObservatory(
		t,
		map[string]string{
			"cindervale.yaml": strings.Replace(peopleMap, "source:\n", "source:\n  every: 100ms\n", 1),
			"people.ldif":     crew(40, all),
		},
	)
	events := o.Events.Listen(t.Context())
	o.Follower.Follow()
	o.write("people.ldif", crew(41, all))
	for e := range events {
		if e.Run != nil && e.Run.State == answer.RunCommitted {
			assert.Equal(t, string(intake.BySchedule), e.Run.How)
			break
		}
	}
	assert.Equal(t, 41, o.Head().Atlas.Book.UserCount())
}

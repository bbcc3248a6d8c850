package check_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/licences"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func groups(names ...string) *gate.Who { return &gate.Who{Groups: nametest.Refs(names...)} }

func what(right, object string) atlas.What {
	return atlas.What{System: name.Ref{Name: "tools"}, Right: gate.Pattern{Text: place.Text{Value: right}}, Object: object}
}

// small is a map in which the crew (ilse, noor who is switched off, vic whose
// account ends) has a, and only on managed devices; teo has a and b.
func small(t *testing.T, g *atlas.Guarantee) (*atlas.Atlas, error) {
	t.Helper()
	end := directory.Instant{Time: time.Date(2026, 12, 31, 0, 0, 0, 0, time.UTC)}
	d := &directory.Document{
		Name: "d",
		Users: []*directory.User{
			{Name: "ilse"},
			{Name: "teo"},
			{Name: "noor", Active: new(bool)},
			{Name: "vic", Expires: end},
		},
		Groups: []*directory.Group{
			{
				Name:    "crew",
				Members: &directory.Members{Users: nametest.Refs("ilse", "noor", "vic")},
			}, {Name: "science", Members: &directory.Members{Users: nametest.Refs("teo")}},
			{
				Name: "nobody",
			}, {Name: "left", Members: &directory.Members{Users: nametest.Refs("noor")}}, {Name: "list", Kind: "mail", Members: &directory.Members{Users: nametest.Refs("teo")}},
		},
	}
	doc := &licences.Document{
		Products: []licences.Product{
			{Name: place.Text{Value: "suite"}, Features: []licences.Feature{{Name: "a"}, {Name: "b"}}},
		},
		Mappings: []licences.Mapping{
			{Who: *groups("crew"), Product: name.Ref{Name: "suite"}, Without: nametest.Refs("b")},
			{Who: *groups("science"), Product: name.Ref{Name: "suite"}},
		},
	}
	return atlas.Compile(&atlas.Map{
		Directories: []*directory.Document{d}, Guarantees: []*atlas.Guarantee{g},
		Systems: []*gate.System{
			{
				Name:   "tools",
				Gate:   doc,
				Behind: []gate.Prerequisite{{When: &situation.When{Device: []situation.Property{"managed"}}}},
			},
		},
	})
}

func TestGuarantees(t *testing.T) {
	can := func(right string) *atlas.What { w := what(right, "suite"); return &w }
	any := func(right string) *atlas.What { w := what(right, ""); return &w }
	one, two := 1, 2
	managed, none := &atlas.Given{
		Device: []string{"managed"},
		At:     "2026-11-23T12:00:00Z",
	}, &atlas.Given{
		Device: []string{"none"},
	}
	after := &atlas.Given{Device: []string{"managed"}, At: "2027-01-01T00:00:00Z"}
	for _, c := range []struct {
		name      string
		guarantee atlas.Guarantee
		users     []string // who breaks it; nil: it is kept
		reason    string
	}{
		{"every: what depends counts as can", atlas.Guarantee{Every: groups("crew"), Can: can("a")}, nil, "All 2 can."},
		{"every: inactive accounts are left out, ended ones too", atlas.Guarantee{Every: groups("crew"), Can: can("a"), In: after}, nil, "All 1 can."},
		{"every: in a situation only open counts", atlas.Guarantee{Every: groups("science"), Can: can("a"), In: none}, []string{"d/teo"}, "all 1 should"},
		{"every: in a situation that is met", atlas.Guarantee{Every: groups("crew", "science"), Can: can("a"), In: managed}, nil, "All 3 can."},
		{"every: who lacks it breaks it", atlas.Guarantee{Every: groups("crew", "science"), Can: can("b")}, []string{"d/ilse", "d/vic"}, "all 3 should"},
		{"every: over nobody proves nothing", atlas.Guarantee{Every: groups("nobody"), Can: can("a")}, []string{}, "proves nothing"},
		{"every: over inactive people proves nothing", atlas.Guarantee{Every: groups("left"), Can: can("a")}, []string{}, "proves nothing"},
		{"every: with a pattern any right is enough", atlas.Guarantee{Every: groups("crew"), Can: any("*")}, nil, "All 2 can."},
		{"every: a mail group names its members", atlas.Guarantee{Every: groups("list"), Can: can("b")}, nil, "All 1 can."},
		{"nobody: kept", atlas.Guarantee{Nobody: groups("crew"), Can: can("b")}, nil, "None of 3 can."},
		{"nobody: what depends breaks it", atlas.Guarantee{Nobody: &gate.Who{Everyone: true}, Can: any("a")}, []string{"d/ilse", "d/teo", "d/vic"}, "These can"},
		{"nobody: what is shut in the situation does not", atlas.Guarantee{Nobody: &gate.Who{Everyone: true}, Can: any("a"), In: none}, nil, "None of 4 can."},
		{"nobody: except", atlas.Guarantee{Nobody: &gate.Who{Everyone: true, Except: &directory.People{Groups: nametest.Refs("science")}}, Can: can("b")}, nil, "None of 3 can."},
		{"holds both: together", atlas.Guarantee{Nobody: &gate.Who{Everyone: true}, HoldsBoth: []atlas.What{what("a", "suite"), what("b", "suite")}}, []string{"d/teo"}, "hold both"},
		{"holds both: one of them is no matter", atlas.Guarantee{Nobody: groups("crew"), HoldsBoth: []atlas.What{what("a", "suite"), what("b", "suite")}}, nil, "None of 3"},
		{"at most: kept", atlas.Guarantee{AtMost: &one, Can: can("b")}, nil, "1 can, and at most 1 should."},
		{"at most: too many", atlas.Guarantee{AtMost: &two, Can: can("a")}, []string{"d/ilse", "d/teo", "d/vic"}, "3 can, and at most 2 should"},
	} {
		t.Run(c.name, func(t *testing.T) {
			c.guarantee.Name = "g"
			a, err := small(t, &c.guarantee)
			require.NoError(t, err)
			got := check.Guarantees(a)[0]
			assert.Equal(t, c.users != nil, got.Broken(), got.Reason)
			assert.Contains(t, got.Reason, c.reason)
			if c.users != nil {
				assert.Equal(t, c.users, got.Users)
			} else {
				assert.Empty(t, got.Users)
				assert.Empty(t, got.Evidence)
			}
		})
	}
}

func TestEvidenceShowsTheRoutes(t *testing.T) {
	w := what("b", "suite")
	a, err := small(t, &atlas.Guarantee{Name: "g", Nobody: &gate.Who{Everyone: true}, Can: &w})
	require.NoError(t, err)
	got := check.Guarantees(a)[0]
	require.Len(t, got.Evidence, 1)
	assert.Equal(t, "d/teo", got.Evidence[0].User)
	assert.Equal(
		t,
		[]rule.Route{{Mapping: "tools/mapping 2", Path: []rule.Hop{{Group: "d/science", How: "direct"}}}},
		got.Evidence[0].Entitlement.Routes,
	)
}

func TestGuaranteesThatAreWrong(t *testing.T) {
	w, lost := what("a", "suite"), what("c", "suite")
	gone := atlas.What{System: name.Ref{Name: "tolls"}, Right: w.Right}
	for _, c := range []struct {
		guarantee atlas.Guarantee
		want      string
	}{
		{atlas.Guarantee{Can: &w}, "is about one of every, nobody and at_most"},
		{atlas.Guarantee{Every: groups("crew"), Nobody: groups("crew"), Can: &w}, "is about one of every, nobody and at_most"},
		{atlas.Guarantee{Every: groups("crew")}, "needs can"},
		{atlas.Guarantee{Every: groups("crew"), HoldsBoth: []atlas.What{w, w}}, "needs can"},
		{atlas.Guarantee{Nobody: groups("crew"), HoldsBoth: []atlas.What{w}}, "holds_both with two things"},
		{atlas.Guarantee{Nobody: &gate.Who{}, Can: &w}, "names nobody"},
		{atlas.Guarantee{Nobody: groups("crew"), Can: &w, In: &atlas.Given{At: "noon"}}, `at "noon"`},
		{atlas.Guarantee{Nobody: groups("crew"), Can: &w, In: &atlas.Given{DeviceName: "x"}}, "there is no device"},
	} {
		c.guarantee.Name = "g"
		_, err := small(t, &c.guarantee)
		assert.ErrorContains(t, err, c.want)
	}
	for _, c := range []struct {
		guarantee atlas.Guarantee
		want      string
	}{
		{atlas.Guarantee{Nobody: groups("crw"), Can: &w}, "did you mean crew?"},
		{atlas.Guarantee{Nobody: groups("crew"), Can: &gone}, "did you mean tools?"},
		{atlas.Guarantee{Nobody: groups("crew"), Can: &lost}, `names right of tools "c", which does not exist; did you mean a or b?`},
	} {
		c.guarantee.Name = "g"
		a, err := small(t, &c.guarantee)
		require.NoError(t, err)
		found := ""
		for _, f := range check.Findings(a) {
			if f.Where.Rule == "g" {
				found = f.Message
			}
		}
		assert.Contains(t, found, c.want)
		g := check.Guarantees(a)[0]
		assert.True(t, g.Broken(), "what does not exist proves nothing")
		assert.Contains(t, g.Reason, "It names what does not exist: ")
	}
	none := what("z*", "")
	a, err := small(t, &atlas.Guarantee{Name: "g", Nobody: groups("crew"), Can: &none})
	require.NoError(t, err)
	assert.Equal(t, "It names what does not exist: z*.", check.Guarantees(a)[0].Reason)
}

// Accounts of one person count as one, who holds what any of them holds.
func TestGuaranteesJudgePersons(t *testing.T) {
	number := func(named, n string) *directory.User {
		u := &directory.User{Name: named}
		require.NoError(t, u.Attributes.Set("employeeNumber", n))
		return u
	}
	staff := &directory.Document{Name: "staff", Users: []*directory.User{number("ilse", "1"), number("teo", "2")}}
	admin := &directory.Document{
		Name:       "admin",
		SamePerson: &directory.SamePerson{Directory: name.Ref{Name: "staff"}, By: "employeeNumber"},
		Users:      []*directory.User{number("adm-ilse", "1"), number("adm-rana", "3")},
	}
	doc := &licences.Document{
		Products: []licences.Product{
			{Name: place.Text{Value: "suite"}, Features: []licences.Feature{{Name: "a"}, {Name: "b"}}},
		},
		Mappings: []licences.Mapping{
			{
				Who:     gate.Who{Users: nametest.Refs("staff/ilse", "staff/teo")},
				Product: name.Ref{Name: "suite"},
				Without: nametest.Refs("b"),
			},
			{
				Who:     gate.Who{Users: nametest.Refs("admin/adm-ilse", "admin/adm-rana")},
				Product: name.Ref{Name: "suite"},
				Without: nametest.Refs("a"),
			},
		},
	}
	everyone, one := &gate.Who{Everyone: true}, 1
	both := []atlas.What{what("a", "suite"), what("b", "suite")}
	a, b := what("a", ""), what("b", "suite")
	m := &atlas.Map{
		Directories: []*directory.Document{staff, admin},
		Systems:     []*gate.System{{Name: "tools", Gate: doc}},
		Guarantees: []*atlas.Guarantee{
			{Name: "both", Nobody: everyone, HoldsBoth: both},
			{Name: "both by account", Nobody: everyone, HoldsBoth: both, Per: "account"},
			{Name: "each of the staff has b", Every: &gate.Who{Users: nametest.Refs("staff/ilse")}, Can: &b},
			{Name: "one has a", AtMost: &one, Can: &a},
		},
	}
	at, err := atlas.Compile(m)
	require.NoError(t, err)
	got := check.Guarantees(at)
	assert.Equal(t, "These hold both: staff/ilse, admin/adm-ilse.", got[0].Reason)
	assert.False(t, got[1].Broken())
	assert.Equal(t, "All 1 can.", got[2].Reason)
	assert.Equal(t, "2 can, and at most 1 should: staff/ilse, staff/teo.", got[3].Reason)
}

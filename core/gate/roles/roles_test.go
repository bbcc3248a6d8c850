package roles_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// archive is a small tree with one role of each kind of set.
func archive(mappings ...roles.Mapping) *roles.Document {
	return &roles.Document{
		Rights: rightsOf("frames:list", "frames:read", "frames:purge", "jobs:run"),
		Resources: []roles.Resource{
			{Path: path("/raw"), Tags: map[string]string{"stage": "raw"}},
			{Path: path("/raw/embargo"), Sealed: true},
			{Path: path("/raw/embargo/comet")},
		},
		Roles: map[string]*roles.Role{
			"curator": {Rights: patterns("frames:*"), Without: patterns("frames:purge")},
			"chief":   {Includes: nametest.Refs("curator"), Rights: patterns("frames:purge")},
			"lister":  {Rights: patterns("frames:list")},
		},
		Mappings: mappings,
	}
}

func rightsOf(list ...string) []place.Text {
	var all []place.Text
	for _, r := range list {
		all = append(all, text(r))
	}
	return all
}

func ask(t *testing.T, a *atlas.Atlas, s *atlas.System, user, right, object string) rule.Entitlement {
	t.Helper()
	u, err := a.Book.FindUser(user, "")
	require.NoError(t, err)
	p, err := s.Gate.At(object, right)
	require.NoError(t, err)
	f, err := a.Facts(situation.Situation{})
	require.NoError(t, err)
	return a.Why(u, f, s, p)
}

var member = [3][3]bool{
	{true, false, false},
	{false, true, false},
	{false, false, true},
} // ilse crew, teo science, rana data

func to(group, role, object string) roles.Mapping {
	return roles.Mapping{Who: gate.Who{Groups: nametest.Refs(group)}, Role: name.Ref{Name: role}, Object: path(object)}
}

func TestRolesComeDownTheTree(t *testing.T) {
	a, s := compile(t, world(member), archive(to("crew", "chief", "/"), to("science", "curator", "/raw/embargo")))
	assert.Equal(
		t,
		rule.Open,
		ask(t, a, s, "ilse", "frames:purge", "/raw").State,
		"without does not reach into the role that includes",
	)
	assert.Equal(
		t,
		rule.None,
		ask(t, a, s, "ilse", "frames:read", "/raw/embargo").State,
		"a sealed resource takes nothing from above",
	)
	assert.Equal(t, rule.None, ask(t, a, s, "ilse", "frames:read", "/raw/embargo/comet").State)
	assert.Equal(
		t,
		rule.Open,
		ask(t, a, s, "teo", "frames:read", "/raw/embargo/comet").State,
		"what is on the sealed resource comes down",
	)
	assert.Equal(t, rule.None, ask(t, a, s, "teo", "frames:purge", "/raw/embargo").State)
	assert.Equal(t, rule.None, ask(t, a, s, "teo", "frames:read", "/raw").State)
}

func TestThePathThatIsNotDeclared(t *testing.T) {
	a, s := compile(t, world(member), archive(to("crew", "curator", "/raw")))
	e := ask(t, a, s, "ilse", "frames:read", "/raw/2026/november/")
	assert.Equal(t, rule.Open, e.State)
	assert.Equal(t, "/raw/2026/november", e.Object)
	assert.Equal(t, "/raw", e.DecidedAt)
	e = ask(t, a, s, "ilse", "frames:read", "/rawer")
	assert.Equal(t, rule.None, e.State, "a longer name is not below a shorter one")
	assert.Equal(t, "/", e.DecidedAt)
	assert.Equal(t, "/", ask(t, a, s, "ilse", "frames:read", "").Object)
	_, err := s.Gate.At("raw", "frames:read")
	assert.ErrorContains(t, err, "did you mean /raw?")
}

func TestCommonRoles(t *testing.T) {
	doc := archive()
	doc.EveryoneHas = nametest.Refs("lister", "listr")
	a, s := compile(t, world(member), doc)
	e := ask(t, a, s, "rana", "frames:list", "/raw")
	assert.Equal(t, rule.Open, e.State)
	assert.Equal(t, []rule.Route{{Mapping: "s/everyone_has lister", Path: []rule.Hop{}}}, e.Routes)
	assert.Equal(t, rule.None, ask(t, a, s, "rana", "frames:list", "/raw/embargo").State, "sealing stops them")
	require.Len(t, s.Site.Findings, 1)
	assert.Contains(t, s.Site.Findings[0].Message, "did you mean lister?")
}

// A line that gives and has a name in it that leads to nothing gives nothing; one
// that takes goes on taking.
func TestMisspeltNamesErrToShut(t *testing.T) {
	window := &situation.When{Windows: nametest.Refs("nigth")}
	for what, m := range map[string]roles.Mapping{
		"group":  {Who: gate.Who{Groups: nametest.Refs("crew", "crw")}, Role: name.Ref{Name: "curator"}, Object: path("/")},
		"except": {Who: gate.Who{Groups: nametest.Refs("crew"), Except: &directory.People{Users: nametest.Refs("teoo")}}, Role: name.Ref{Name: "curator"}, Object: path("/")},
		"role":   to("crew", "curatr", "/"),
		"object": to("crew", "curator", "/row"),
		"window": {Who: gate.Who{Groups: nametest.Refs("crew")}, Role: name.Ref{Name: "curator"}, Object: path("/"), When: window},
	} {
		a, s := compile(t, world(member), archive(m))
		assert.Equal(t, rule.None, ask(t, a, s, "ilse", "frames:read", "/raw").State, what)
		require.Len(t, s.Site.Findings, 1, what)
		assert.Equal(t, finding.UnknownName, s.Site.Findings[0].Code, what)
	}
	deny := roles.Mapping{
		Who:    gate.Who{Groups: nametest.Refs("crew", "crw")},
		Role:   name.Ref{Name: "curator"},
		Object: path("/"),
		Effect: "deny",
		When:   window,
	}
	a, s := compile(t, world(member), archive(to("crew", "curator", "/"), deny))
	assert.Equal(t, rule.Shut, ask(t, a, s, "ilse", "frames:read", "/raw").State)
	doc := archive(to("crew", "curator", "/"))
	doc.Limits = []roles.Limit{
		{
			Name:   "l",
			Rights: patterns("frames:*"),
			Object: path("/"),
			When:   window,
			Except: &directory.People{Groups: nametest.Refs("crw")},
		},
	}
	a, s = compile(t, world(member), doc)
	assert.Equal(t, rule.Shut, ask(t, a, s, "ilse", "frames:read", "/raw").State)
}

func TestWhatIsLacking(t *testing.T) {
	excepted := roles.Mapping{
		Who: gate.Who{
			Everyone: true,
			Except:   &directory.People{Groups: nametest.Refs("data"), Users: nametest.Refs("rana")},
		},
		Role:   name.Ref{Name: "lister"},
		Object: path("/"),
	}
	a, s := compile(t, world(member), archive(
		roles.Mapping{
			Who:    gate.Who{Groups: nametest.Refs("crew", "science"), Users: nametest.Refs("teo")},
			Role:   name.Ref{Name: "curator"},
			Object: path("/"),
		},
		excepted,
	))
	assert.Equal(t, []rule.Miss{
		{Mapping: "s/mapping 1", Lacks: []rule.Lack{"group:d/crew", "group:d/science", "user:d/teo"}},
		{Mapping: "s/mapping 2", Lacks: []rule.Lack{"not-user:d/rana", "not-group:d/data"}},
	}, ask(t, a, s, "rana", "frames:list", "/raw").Misses)
}

func TestLoadErrors(t *testing.T) {
	doc := archive(roles.Mapping{Role: name.Ref{Name: "curator"}, Object: path("/")})
	doc.Roles["a"] = &roles.Role{Includes: nametest.Refs("b")}
	doc.Roles["b"] = &roles.Role{Includes: nametest.Refs("a")}
	doc.Rights = append(doc.Rights, rightsOf("frames", "frames:*")...)
	doc.Resources = append(doc.Resources, roles.Resource{Path: path("/raw")}, roles.Resource{Path: path("raw")})
	_, err := atlas.Compile(
		&atlas.Map{Directories: []*directory.Document{world(member)}, Systems: []*gate.System{{Name: "s", Gate: doc}}},
	)
	for _, want := range []string{
		"line s/mapping 1 names nobody", "roles include each other in a circle: a → b → a", `"frames" is not a right`, `"frames:*" is not a right`,
		"resource /raw is here twice", `"raw" is not a path`,
	} {
		assert.ErrorContains(t, err, want)
	}
}

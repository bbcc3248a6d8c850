// Package atlastest draws small maps with a system of every gate type, for tests of what
// must hold of any map.
package atlastest

import (
	"net/netip"

	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Users and Groups are the names of all that a drawn map can have, of the directory
// cindervale.
var (
	Users  = []string{"ilse", "jory", "rana", "teo"}
	Groups = []string{"crew", "guests", "kitchen", "cooks"}
)

// Draw draws a map: four people, four groups of which one has a rule, and a system of
// every type with a few lines.
func Draw(t *rapid.T) *atlas.Map {
	d := &directory.Document{Name: "cindervale"}
	for _, n := range Users {
		d.Users = append(d.Users, User(t, n))
	}
	for _, n := range Groups {
		d.Groups = append(d.Groups, Group(t, n))
	}
	d.Devices = []*directory.Device{{Name: "console", Managed: new(true)}}
	m := &atlas.Map{
		Title: "Cindervale Observatory",
		Networks: []situation.Network{
			{Name: "office", Prefixes: []netip.Prefix{netip.MustParsePrefix("203.0.113.0/24")}},
			{Name: "desk", Prefixes: []netip.Prefix{netip.MustParsePrefix("203.0.113.16/28")}},
			{Name: "summit", Prefixes: []netip.Prefix{netip.MustParsePrefix("198.51.100.0/25")}},
		},
		Windows: []situation.Window{
			{Name: "night", Days: weekdays, From: 18 * 60, To: 7 * 60},
			{Name: "dawn", Days: weekdays, From: 5 * 60, To: 7 * 60},
			{Name: "workday", Days: weekdays[:5], From: 8 * 60, To: 18 * 60},
		},
		Directories: []*directory.Document{d},
	}
	for _, n := range Systems {
		m.Systems = append(m.Systems, System(t, n))
	}
	return m
}

var weekdays = []situation.Day{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// Known is a map without what is of a type that the table does not have.
func Known(m *atlas.Map) *atlas.Map {
	known := *m
	known.Systems = nil
	for _, s := range m.Systems {
		if s.Type.Name == Cabinet.Name {
			continue
		}
		bare := *s
		bare.Behind = without(s.Behind, Cabinet.Name)
		known.Systems = append(known.Systems, &bare)
	}
	return &known
}

// without are fronts but for those of a gate type.
func without(list []gate.Prerequisite, typ string) (kept []gate.Prerequisite) {
	for _, f := range list {
		if _, is := f.Gate[typ]; is {
			continue
		}
		if f.Any != nil {
			f.Any = without(f.Any, typ)
		}
		kept = append(kept, f)
	}
	return kept
}

// Asked draws a map, compiled, and a situation to ask it about.
func Asked(t *rapid.T) (m *atlas.Map, a *atlas.Atlas, given situation.Situation, facts *situation.Facts) {
	return Ask(t, Draw(t))
}

// Ask compiles a map, and draws a situation to ask it about.
func Ask(t *rapid.T, m *atlas.Map) (_ *atlas.Map, a *atlas.Atlas, given situation.Situation, facts *situation.Facts) {
	a, err := atlas.Compile(m)
	must(err)
	given = Situation(t)
	facts, err = a.Facts(given)
	must(err)
	return m, a, given, facts
}

// User draws the record of a user.
func User(t *rapid.T, n string) *directory.User {
	u := &directory.User{Name: n}
	if title := rapid.SampledFrom([]string{"", "Cook", "Astronomer"}).Draw(t, "title"); title != "" {
		must(u.Attributes.Set("title", title))
	}
	if rapid.IntRange(0, 7).Draw(t, "mail") > 0 {
		must(u.Attributes.Set("emails", n+"@cindervale.example"))
	}
	if remote := rapid.SampledFrom([]string{"", "", "", "always", "never"}).Draw(t, "remote"); remote != "" {
		must(u.Attributes.Set("remote", remote))
	}
	if rapid.IntRange(0, 5).Draw(t, "off") == 0 {
		u.Active = new(bool)
	}
	return u
}

// Group draws the record of a group. Groups hold those that come after them.
func Group(t *rapid.T, n string) *directory.Group {
	if n == "cooks" {
		g := &directory.Group{Name: n, Rule: &directory.Rule{}}
		must(
			g.Rule.UnmarshalText(
				[]byte(rapid.SampledFrom([]string{`title eq "Cook"`, `title sw "a"`, `not (title pr)`}).Draw(t, "rule")),
			),
		)
		return g
	}
	g := &directory.Group{Name: n, Members: &directory.Members{Users: nametest.Refs(some(t, Users, 0, 2)...)}}
	at := map[string]int{"crew": 1, "guests": 2, "kitchen": 3}[n]
	g.Members.Groups = nametest.Refs(some(t, Groups[at:], 0, 1)...)
	return g
}

// Who draws whom a line is for.
func Who(t *rapid.T) gate.Who {
	w := gate.Who{}
	switch rapid.IntRange(0, 3).Draw(t, "for") {
	case 0:
		w.Everyone = true
	case 1:
		w.Users = full(some(t, Users, 1, 2))
	default:
		w.Groups = full(some(t, Groups, 1, 2))
	}
	w.Off = rapid.IntRange(0, 7).Draw(t, "off") == 0
	if rapid.IntRange(0, 3).Draw(t, "but") == 0 {
		w.Except = &directory.People{Groups: full(some(t, Groups, 1, 1))}
	}
	return w
}

// ByClaim draws whom a line is for, by claims of the system claims too.
func ByClaim(t *rapid.T) gate.Who {
	w := Who(t)
	if !w.Everyone && rapid.IntRange(0, 3).Draw(t, "by claim") == 0 {
		claim := rapid.SampledFrom([]gate.ClaimRef{{Claim: "role", Is: "crew"}, {Claim: "staff", Is: "yes"},
			{Claim: "mail", Is: "ilse@cindervale.example"}}).
			Draw(t, "claim")
		claim.Party = ref("claims/portal")
		w.Claims = []gate.ClaimRef{claim}
	}
	return w
}

// When draws a condition; most lines have none.
func When(t *rapid.T) *situation.When {
	return rapid.SampledFrom([]*situation.When{
		nil, nil, nil, {Device: []situation.Property{"managed"}}, {Networks: nametest.Refs("office")},
		{Strength: []situation.Strength{"aal2"}},
		{
			NotNetworks: nametest.Refs("desk"),
		}, {Networks: nametest.Refs("desk", "summit"), Device: []situation.Property{"managed", "compliant"}},
		{Windows: nametest.Refs("night")}, {Windows: nametest.Refs("dawn"), Strength: []situation.Strength{"aal3"}},
		{
			Risk: []situation.Risk{"low", "medium"},
		}, {Risk: []situation.Risk{"high"}}, {Clients: []situation.Client{"browser"}, Access: []situation.Access{"vpn"}},
	}).Draw(t, "when")
}

// Situation draws what is known of a request: nothing, or some facts.
func Situation(t *rapid.T) situation.Situation {
	facts := rapid.SampledFrom([]map[string]string{
		{}, {"device": "managed", "strength": "aal2", "from": "203.0.113.9"},
		{"device": "none", "strength": "aal1", "from": "198.51.100.9"}, {"from": "203.0.113.9"}, {"strength": "aal1"},
	}).Draw(t, "situation")
	s, err := situation.Parse(func(field string) string { return facts[field] })
	must(err)
	return s
}

func some(t *rapid.T, of []string, least, most int) []string {
	return rapid.SliceOfNDistinct(rapid.SampledFrom(of), least, min(most, len(of)), rapid.ID).Draw(t, "some")
}

func full(names []string) (list []name.Ref) {
	for _, n := range names {
		list = append(list, ref("cindervale/"+n))
	}
	return list
}

func ref(n string) name.Ref    { return name.Ref{Name: n} }
func text(s string) place.Text { return place.Text{Value: s} }

func patterns(all ...string) (list []gate.Pattern) {
	for _, p := range all {
		list = append(list, gate.Pattern{Text: text(p)})
	}
	return list
}

func must(err error) {
	if err != nil {
		panic(err)
	}
}

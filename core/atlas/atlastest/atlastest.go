// Package atlastest draws small maps with a system of every gate type, for tests of what
// must hold of any map.
package atlastest

import (
	"fmt"
	"net/netip"

	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/app"
	"gatemap/core/gate/federation"
	"gatemap/core/gate/files"
	"gatemap/core/gate/firewall"
	"gatemap/core/gate/hosts"
	"gatemap/core/gate/licences"
	"gatemap/core/gate/network"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/signin"
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

// Asked draws a map, compiled, and a situation to ask it about.
func Asked(t *rapid.T) (m *atlas.Map, a *atlas.Atlas, given situation.Situation, facts *situation.Facts) {
	m = Draw(t)
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
	must(u.Attributes.Set("emails", n+"@cindervale.example"))
	if rapid.IntRange(0, 5).Draw(t, "off") == 0 {
		u.Active = new(bool)
	}
	return u
}

// Group draws the record of a group. Groups hold those that come after them.
func Group(t *rapid.T, n string) *directory.Group {
	if n == "cooks" {
		g := &directory.Group{Name: n, Rule: &directory.Rule{}}
		must(g.Rule.UnmarshalText([]byte(rapid.SampledFrom([]string{`title eq "Cook"`, `title sw "a"`, `not (title pr)`}).Draw(t, "rule"))))
		return g
	}
	g := &directory.Group{Name: n, Members: &directory.Members{Users: nametest.Refs(some(t, Users, 0, 2)...)}}
	at := map[string]int{"crew": 1, "guests": 2, "kitchen": 3}[n]
	g.Members.Groups = nametest.Refs(some(t, Groups[at:], 0, 1)...)
	return g
}

// Systems are the systems of a drawn map.
var Systems = []string{"archive", "claims", "desk", "door", "hosts", "share", "suite", "vpn", "wall"}

// System draws one of them.
func System(t *rapid.T, n string) *gate.System {
	s := &gate.System{Name: n}
	lines := rapid.IntRange(0, 3)
	switch n {
	case "archive":
		d := &roles.Document{
			Rights:    []place.Text{text("frames:read"), text("frames:write")},
			Resources: []roles.Resource{{Path: roles.Path{Text: text("/raw")}}, {Path: roles.Path{Text: text("/raw/2026")}, Sealed: rapid.Bool().Draw(t, "sealed")}},
			Roles:     map[string]*roles.Role{"reader": {Rights: patterns("frames:read")}, "keeper": {Rights: patterns("*")}},
		}
		for range lines.Draw(t, "lines") {
			d.Mappings = append(d.Mappings, roles.Mapping{
				Who: Who(t), Role: ref(rapid.SampledFrom([]string{"reader", "keeper"}).Draw(t, "role")), When: When(t),
				Object: roles.Path{Text: text(rapid.SampledFrom([]string{"/", "/raw", "/raw/2026"}).Draw(t, "object"))},
				Effect: rapid.SampledFrom([]gate.Effect{"", "", "deny"}).Draw(t, "effect"),
			})
		}
		s.Type, s.Gate, s.Requires = ref("roles"), d, []string{"emails"}
		if rapid.Bool().Draw(t, "behind") {
			s.Behind = []gate.Front{{Gate: gate.Passage{"signin": "door"}}}
		}
	case "claims":
		p := federation.Party{Party: text("portal"), Default: rapid.SampledFrom([]federation.Action{"permit", "refuse"}).Draw(t, "default")}
		for range lines.Draw(t, "lines") {
			p.Claims = append(p.Claims, rapid.SampledFrom([]federation.Claim{
				{Claim: "role", FromGroups: true}, {Claim: "mail", From: "emails"}, {Claim: "staff", Value: "yes", Who: Who(t)},
			}).Draw(t, "claim"))
		}
		if is := "crew"; rapid.Bool().Draw(t, "admit") {
			p.Admit = []federation.Statement{{Permit: &federation.Test{Claim: "role", Is: &is}}}
		}
		s.Type, s.Gate = ref("federation"), &federation.Document{Parties: []federation.Party{p}}
	case "desk":
		d := &app.Document{
			Modules: map[string][]place.Text{"report": {text("view"), text("edit")}},
			Roles:   map[string]map[string]app.Actions{"writer": {"report": {"view": "all", "edit": "own"}}, "reader": {"report": {"view": "own", "edit": "none"}}},
			Merge:   rapid.SampledFrom([]app.Merge{"", "narrowest"}).Draw(t, "merge"),
		}
		for range lines.Draw(t, "lines") {
			d.Mappings = append(d.Mappings, app.Mapping{Who: Who(t), Role: ref(rapid.SampledFrom([]string{"writer", "reader"}).Draw(t, "role")), When: When(t)})
		}
		s.Type, s.Gate = ref("app"), d
	case "door":
		d := &signin.Document{}
		for i := range lines.Draw(t, "lines") {
			then := rapid.SampledFrom([]signin.Then{{Block: true}, {Require: []signin.Requirement{"aal2"}}, {Require: []signin.Requirement{"managed-device"}}}).Draw(t, "then")
			d.Policies = append(d.Policies, signin.Policy{Name: fmt.Sprint("policy ", i), Who: Who(t), Apps: nametest.Refs("all"), When: When(t), Then: then})
		}
		s.Type, s.Gate = ref("signin"), d
	case "hosts":
		d := &hosts.Document{Hosts: map[string][]place.Text{"domes": {text("dome1.cindervale.example"), text("dome2.cindervale.example")}}}
		for range lines.Draw(t, "lines") {
			d.Login = append(d.Login, hosts.Login{Who: Who(t), Hosts: nametest.Refs("domes"), When: When(t), Effect: rapid.SampledFrom([]gate.Effect{"", "", "deny"}).Draw(t, "effect")})
		}
		s.Type, s.Gate = ref("hosts"), d
	case "share":
		share := files.Share{Share: text("logs"), Door: []files.Entry{{Who: gate.Who{Everyone: true}, Allow: []files.Grant{"full"}}}}
		for range lines.Draw(t, "lines") {
			share.Folders = append(share.Folders, files.Folder{Path: text("/" + fmt.Sprint(len(share.Folders))), Entries: []files.Entry{{Who: Who(t), Allow: []files.Grant{"editor"}}, {Who: Who(t), Deny: []files.Grant{"write"}}}})
		}
		s.Type, s.Gate = ref("files"), &files.Document{Shares: []files.Share{share}}
	case "suite":
		d := &licences.Document{Products: []licences.Product{{Name: text("planner"), Features: []licences.Feature{{Name: "calendar"}, {Name: "rooms", Needs: nametest.Refs("calendar")}}}}}
		for range lines.Draw(t, "lines") {
			d.Mappings = append(d.Mappings, licences.Mapping{Who: Who(t), Product: ref("planner"), Without: nametest.Refs(some(t, []string{"calendar", "rooms"}, 0, 1)...)})
		}
		s.Type, s.Gate = ref("licences"), d
		if rapid.Bool().Draw(t, "behind") {
			s.Behind = []gate.Front{{When: &situation.When{Device: []situation.Property{"managed"}}}}
		}
	case "vpn":
		d := &network.Document{}
		for i := range lines.Draw(t, "lines") {
			d.Policies = append(d.Policies, network.Policy{Name: fmt.Sprint("policy ", i), Who: Who(t), When: When(t), Verdict: rapid.SampledFrom([]network.Verdict{"admit", "refuse"}).Draw(t, "verdict")})
		}
		s.Type, s.Gate = ref("network"), d
	case "wall":
		d := &firewall.Document{Zones: map[string][]situation.Range{"dome": {{Prefix: netip.MustParsePrefix("192.0.2.0/24")}}}}
		for i := range lines.Draw(t, "lines") {
			d.Rules = append(d.Rules, firewall.Rule{
				Name: fmt.Sprint("rule ", i), Who: Who(t), To: nametest.Refs("dome"), When: When(t),
				Services: nametest.Refs(rapid.SampledFrom([]string{"tcp/22", "tcp/443"}).Draw(t, "service")),
				Action:   rapid.SampledFrom([]firewall.Action{"permit", "refuse"}).Draw(t, "action"),
			})
		}
		s.Type, s.Gate = ref("firewall"), d
	}
	return s
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

// When draws a condition; most lines have none.
func When(t *rapid.T) *situation.When {
	return rapid.SampledFrom([]*situation.When{
		nil, nil, nil, {Device: []situation.Property{"managed"}}, {Networks: nametest.Refs("office")}, {Strength: []situation.Strength{"aal2"}},
		{NotNetworks: nametest.Refs("desk")}, {Networks: nametest.Refs("desk", "summit"), Device: []situation.Property{"managed", "compliant"}},
		{Windows: nametest.Refs("night")}, {Windows: nametest.Refs("dawn"), Strength: []situation.Strength{"aal3"}},
		{Risk: []situation.Risk{"low", "medium"}}, {Risk: []situation.Risk{"high"}}, {Clients: []situation.Client{"browser"}, Access: []situation.Access{"vpn"}},
	}).Draw(t, "when")
}

// Situation draws what is known of a request: nothing, or some facts.
func Situation(t *rapid.T) situation.Situation {
	facts := rapid.SampledFrom([]map[string]string{
		{}, {"device": "managed", "strength": "aal2", "from": "203.0.113.9"}, {"device": "none", "strength": "aal1", "from": "198.51.100.9"}, {"from": "203.0.113.9"}, {"strength": "aal1"},
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

package atlastest

import (
	"fmt"
	"net/netip"

	"pgregory.net/rapid"

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
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Systems are the systems of a drawn map: one of each gate type, and one of a type that the
// table of types does not have.
var Systems = []string{"archive", "cabinet", "claims", "desk", "door", "hosts", "share", "suite", "vpn", "wall"}

// System draws one of them.
func System(t *rapid.T, n string) *gate.System {
	s := &gate.System{Name: n}
	switch n {
	case "archive":
		s.Type, s.Gate, s.Requires = ref("roles"), archive(t), []string{"emails"}
		s.Behind = behind(t, gate.Passage{"signin": "door"}, gate.Passage{"network": "vpn", "access": "vpn"})
	case "cabinet":
		s.Type, s.Gate = ref(Cabinet.Name), cabinet(t)
		s.Behind = behind(t, gate.Passage{"federation": "claims/portal"})
	case "claims":
		s.Type, s.Gate = ref("federation"), claims(t)
	case "desk":
		s.Type, s.Gate = ref("app"), desk(t)
		s.Behind = behind(
			t,
			gate.Passage{"cabinet": "cabinet"},
			gate.Passage{"hosts": "hosts", "host": "dome1.cindervale.example"},
		)
	case "door":
		s.Type, s.Gate = ref("signin"), door(t)
	case "hosts":
		s.Type, s.Gate = ref("hosts"), domes(t)
		s.Behind = behind(t, gate.Passage{"firewall": "wall", "to": "dome", "service": "tcp/22"})
	case "share":
		s.Type, s.Gate = ref("files"), share(t)
	case "suite":
		s.Type, s.Gate = ref("licences"), suite(t)
		if rapid.Bool().Draw(t, "behind") {
			s.Behind = []gate.Prerequisite{{When: &situation.When{Device: []situation.Property{"managed"}}}}
		}
	case "vpn":
		s.Type, s.Gate = ref("network"), vpn(t)
	case "wall":
		s.Type, s.Gate = ref("firewall"), wall(t)
	}
	return s
}

// behind draws nothing in front of a system, one of some gates, or either of them.
func behind(t *rapid.T, gates ...gate.Passage) []gate.Prerequisite {
	fronts := make([]gate.Prerequisite, len(gates))
	for i, g := range gates {
		fronts[i].Gate = g
	}
	switch rapid.IntRange(0, 3).Draw(t, "behind") {
	case 0:
		return fronts[:1]
	case 1:
		return []gate.Prerequisite{{Any: fronts}}
	}
	return nil
}

// each draws up to three things.
func each[T any](t *rapid.T, draw func(i int) T) (list []T) {
	for i := range rapid.IntRange(0, 3).Draw(t, "lines") {
		list = append(list, draw(i))
	}
	return list
}

func one[T any](t *rapid.T, label string, of ...T) T { return rapid.SampledFrom(of).Draw(t, label) }

func archive(t *rapid.T) gate.Document {
	return &roles.Document{
		Rights: []place.Text{text("frames:read"), text("frames:write")},
		Resources: []roles.Resource{
			{Path: roles.Path{Text: text("/raw")}, Tags: map[string]string{"stage": "raw"}},
			{Path: roles.Path{Text: text("/raw/2026")}, Sealed: rapid.Bool().Draw(t, "sealed")},
		},
		Roles: map[string]*roles.Role{"reader": {Rights: patterns("frames:read")}, "keeper": {Rights: patterns("*")}},
		Mappings: each(t, func(int) roles.Mapping {
			return roles.Mapping{
				Who: ByClaim(t), Role: ref(one(t, "role", "reader", "keeper")), When: When(t),
				Object: roles.Path{Text: text(one(t, "object", "/", "/raw", "/raw/2026"))},
				Where:  one(t, "where", nil, nil, map[string]string{"stage": "raw"}),
				Effect: one[gate.Effect](t, "effect", "", "", "deny"),
			}
		}),
		Limits: each(t, func(i int) roles.Limit {
			return roles.Limit{
				Name: fmt.Sprint(
					"limit ",
					i,
				), Rights: patterns("frames:write"), Object: roles.Path{Text: text(one(t, "object", "/", "/raw"))},
				When: When(t), Except: Who(t).Except, Off: rapid.Bool().Draw(t, "off"),
			}
		}),
	}
}

func claims(t *rapid.T) gate.Document {
	crew, start := "crew", "c"
	p := federation.Party{Party: text("portal"), Default: one[federation.Action](t, "default", "permit", "refuse")}
	p.Claims = each(t, func(int) federation.Claim {
		return one(
			t,
			"claim",
			federation.Claim{Claim: "role", FromGroups: true},
			federation.Claim{Claim: "mail", From: "emails"},
			federation.Claim{Claim: "staff", Value: "yes", Who: Who(t)},
		)
	})
	p.Admit = each(t, func(int) federation.Statement {
		test := one(
			t,
			"test",
			federation.Test{Claim: "role", Is: &crew},
			federation.Test{Claim: "role", Starts: &start},
			federation.Test{Claim: "staff", Ends: &start},
			federation.Test{Who: Who(t)},
		)
		if rapid.IntRange(0, 2).Draw(t, "refuse") == 0 {
			return federation.Statement{Refuse: &test}
		}
		return federation.Statement{Permit: &test}
	})
	return &federation.Document{Parties: []federation.Party{p}}
}

func desk(t *rapid.T) gate.Document {
	return &app.Document{
		Modules: map[string][]place.Text{"report": {text("view"), text("edit")}},
		Roles: map[string]map[string]app.Actions{
			"writer": {"report": {"view": "all", "edit": "own"}},
			"reader": {"report": {"view": "own", "edit": "none"}},
		},
		Merge: one[app.Merge](t, "merge", "", "narrowest"),
		Mappings: each(t, func(int) app.Mapping {
			return app.Mapping{Who: ByClaim(t), Role: ref(one(t, "role", "writer", "reader")), When: When(t)}
		}),
	}
}

func door(t *rapid.T) gate.Document {
	return &signin.Document{
		Default: one[signin.Default](t, "default", "", "", "block"),
		Policies: each(t, func(i int) signin.Policy {
			return signin.Policy{
				Name: fmt.Sprint(
					"policy ",
					i,
				), Who: ByClaim(t), Apps: nametest.Refs(one(t, "apps", "all", "archive")), When: When(t),
				Then: one(
					t,
					"then",
					signin.Then{Block: true},
					signin.Then{Require: []signin.Requirement{"aal2"}},
					signin.Then{Require: []signin.Requirement{"managed-device"}},
				),
				Mode: one[signin.Mode](t, "mode", "", "", "watch"),
			}
		}),
	}
}

func domes(t *rapid.T) gate.Document {
	return &hosts.Document{
		Hosts: map[string][]place.Text{"domes": {text("dome1.cindervale.example"), text("dome2.cindervale.example")}},
		Login: each(t, func(int) hosts.Login {
			return hosts.Login{
				Who:    ByClaim(t),
				Hosts:  nametest.Refs(one(t, "hosts", "domes", "dome1.cindervale.example")),
				When:   When(t),
				Effect: one[gate.Effect](t, "effect", "", "", "deny"),
			}
		}),
		Elevate: each(t, func(int) hosts.Elevate {
			return hosts.Elevate{
				Who:      ByClaim(t),
				Hosts:    nametest.Refs("domes"),
				Commands: patterns(one(t, "command", "slew *", "*")),
				Except:   one(t, "except", nil, patterns("slew away")),
				As:       "dome",
				When:     When(t),
			}
		}),
	}
}

func share(t *rapid.T) gate.Document {
	entries := func() []files.Entry {
		return append(each(t, func(int) files.Entry {
			return files.Entry{Who: ByClaim(t), Allow: []files.Grant{one[files.Grant](t, "allow", "editor", "read")}}
		}),
			each(t, func(int) files.Entry {
				return files.Entry{Who: Who(t), Deny: []files.Grant{one[files.Grant](t, "deny", "write", "full")}}
			})...)
	}
	s := files.Share{
		Share: text("logs"),
		Door:  append(entries(), files.Entry{Who: gate.Who{Everyone: true}, Allow: []files.Grant{"full"}}),
	}
	if rapid.IntRange(0, 3).Draw(t, "door") == 0 {
		s.Door = entries()
	}
	for _, path := range []string{"/", "/night", "/night/2026"} {
		s.Folders = append(
			s.Folders,
			files.Folder{Path: text(path), Entries: entries(), Inherits: one(t, "inherits", nil, nil, new(bool))},
		)
	}
	return &files.Document{Shares: []files.Share{s}}
}

func suite(t *rapid.T) gate.Document {
	return &licences.Document{
		Products: []licences.Product{{
			Name: text(
				"planner",
			), Features: []licences.Feature{{Name: "calendar"}, {Name: "rooms", Needs: nametest.Refs("calendar")}},
			Seats: one(t, "seats", nil, nil, new(1)),
		}},
		Mappings: each(t, func(int) licences.Mapping {
			return licences.Mapping{
				Who:     ByClaim(t),
				Product: ref("planner"),
				Without: nametest.Refs(some(t, []string{"calendar", "rooms"}, 0, 1)...),
			}
		}),
	}
}

func vpn(t *rapid.T) gate.Document {
	d := &network.Document{Override: one(t, "override", nil, &network.Override{Attribute: "remote"})}
	if rapid.Bool().Draw(t, "tags") {
		d.Tags = &network.Tags{
			Match:   one[network.Match](t, "match", "", "first"),
			Default: one(t, "default tag", "", "plain", "staff"),
		}
		for _, tag := range []string{"staff", "trusted"} {
			d.Tags.Rules = append(d.Tags.Rules, network.TagRule{Tag: tag, Who: ByClaim(t)})
		}
	}
	d.Policies = each(t, func(i int) network.Policy {
		p := network.Policy{
			Name:    fmt.Sprint("policy ", i),
			Who:     ByClaim(t),
			When:    When(t),
			Verdict: one[network.Verdict](t, "verdict", "admit", "refuse"),
			Reply:   &network.Reply{Class: fmt.Sprint("class ", i)},
		}
		if d.Tags != nil && rapid.Bool().Draw(t, "tagged") {
			p.Tags = nametest.Refs(some(t, []string{"staff", "trusted"}, 1, 2)...)
			if rapid.Bool().Draw(t, "by tag alone") {
				p.Who = gate.Who{}
			}
		}
		return p
	})
	return d
}

func wall(t *rapid.T) gate.Document {
	return &firewall.Document{
		Zones:   map[string][]situation.Range{"dome": {{Prefix: netip.MustParsePrefix("192.0.2.0/24")}}},
		Default: one[firewall.Action](t, "default", "", "", "permit"),
		Rules: each(t, func(i int) firewall.Rule {
			return firewall.Rule{
				Name: fmt.Sprint(
					"rule ",
					i,
				), Who: one(t, "who", ByClaim(t), gate.Who{}), To: nametest.Refs(one(t, "to", "dome", "dome", "192.0.2.0/28")),
				When:     When(t),
				From:     one(t, "from", nil, nil, nametest.Refs("office")),
				Services: nametest.Refs(one(t, "service", "tcp/22", "tcp/443", "any")),
				Action:   one[firewall.Action](t, "action", "permit", "refuse"),
			}
		}),
	}
}

package firewall_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/firewall"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func ranges(list ...string) []situation.Range {
	var all []situation.Range
	for _, p := range list {
		var r situation.Range
		if err := r.UnmarshalText([]byte(p)); err != nil {
			panic(err)
		}
		all = append(all, r)
	}
	return all
}

func services(list ...string) []firewall.Service {
	var all []firewall.Service
	for _, s := range list {
		var x firewall.Service
		if err := x.UnmarshalText([]byte(s)); err != nil {
			panic(err)
		}
		all = append(all, x)
	}
	return all
}

var crew = &directory.Document{
	Name:  "d",
	Users: []*directory.User{{Name: "ilse"}, {Name: "teo"}},
	Groups: []*directory.Group{
		{
			Name:    "crew",
			Members: &directory.Members{Users: nametest.Refs("ilse")},
		}, {Name: "science", Members: &directory.Members{Users: nametest.Refs("teo")}},
	},
}

func compile(t require.TestingT, doc *firewall.Document) (*atlas.Atlas, *atlas.System) {
	a, err := atlas.Compile(&atlas.Map{
		Networks: []situation.Network{
			{Name: "summit", Prefixes: []netip.Prefix{netip.MustParsePrefix("198.51.100.0/25")}},
		},
		Windows:     []situation.Window{{Name: "night", Days: []situation.Day{"mon"}, From: 18 * 60, To: 7 * 60}},
		Directories: []*directory.Document{crew},
		Systems:     []*gate.System{{Name: "s", Gate: doc}},
	})
	require.NoError(t, err)
	return a, a.Systems[0]
}

func ask(
	t require.TestingT,
	a *atlas.Atlas,
	s *atlas.System,
	user int,
	object, right string,
	given situation.Situation,
) rule.Entitlement {
	p, err := s.Gate.At(object, right)
	require.NoError(t, err)
	f, err := a.Facts(given)
	require.NoError(t, err)
	return a.Why(directory.UserID(user), f, s, p)
}

// The small world of the property: 16 addresses of each family, 8 ports of two
// protocols and 2 types of a third.
var (
	zoneNames    = []string{"low", "high", "odd", "six", "all"}
	zonePrefixes = map[string][]string{
		"low":  {"192.0.2.0/29"},
		"high": {"192.0.2.8/29"},
		"odd":  {"192.0.2.1/32", "192.0.2.12/31", "2001:db8::4/126"},
		"six":  {"2001:db8::/124"},
		"all":  {"192.0.2.0/28", "2001:db8::/124"},
	}
	serviceNames = []string{"web", "some", "ping", "both"}
	serviceSpecs = map[string][]string{
		"web":  {"tcp/1-2"},
		"some": {"tcp/2-5", "udp/7"},
		"ping": {"icmp/echo-request"},
		"both": {"tcp/0-7", "udp/0-7", "icmp/0-8"},
	}
)

type packet struct {
	to    netip.Addr
	proto string
	port  int
}

func packets(object, right string) []packet {
	var all []packet
	for _, p := range zonePrefixes[object] {
		prefix := netip.MustParsePrefix(p)
		for a := prefix.Addr(); prefix.Contains(a); a = a.Next() {
			for _, s := range serviceSpecs[right] {
				spec := services(s)[0]
				for port := spec.Low; port <= spec.High; port++ {
					all = append(all, packet{a, spec.Proto, port})
				}
			}
		}
	}
	return all
}

func (p packet) in(zones, svc []name.Ref) bool {
	inZone, inService := len(zones) == 0, len(svc) == 0
	for _, z := range zones {
		for _, prefix := range zonePrefixes[z.Name] {
			inZone = inZone || netip.MustParsePrefix(prefix).Contains(p.to)
		}
	}
	for _, n := range svc {
		for _, s := range serviceSpecs[n.Name] {
			spec := services(s)[0]
			inService = inService || spec.Proto == p.proto && spec.Low <= p.port && p.port <= spec.High
		}
	}
	return inZone && inService
}

// first is what the first rule that matches a packet says, with every fact
// known; named tells whether any permitting rule is about it and the user.
func first(doc *firewall.Document, p packet, user int, inside, night bool) (permitted, named bool) {
	decided := false
	permitted = doc.Default == "permit"
	named = permitted
	for _, r := range doc.Rules {
		who := r.Who.Empty() || r.Everyone
		for _, g := range r.Groups {
			who = who || g.Name == []string{"crew", "science"}[user]
		}
		if !who || !p.in(r.To, r.Services) {
			continue
		}
		named = named || r.Action == "permit"
		holds := (len(r.From) == 0 || inside) && (r.When == nil || night)
		if holds && !decided {
			decided, permitted = true, r.Action == "permit"
		}
	}
	return permitted, named
}

func drawDocument(t *rapid.T) *firewall.Document {
	doc := &firewall.Document{Zones: map[string][]situation.Range{}, Services: map[string][]firewall.Service{}}
	for z, p := range zonePrefixes {
		doc.Zones[z] = ranges(p...)
	}
	for n, s := range serviceSpecs {
		doc.Services[n] = services(s...)
	}
	doc.Default = rapid.SampledFrom([]firewall.Action{"", "permit", "refuse"}).Draw(t, "default")
	for i := range rapid.IntRange(0, 6).Draw(t, "rules") {
		r := firewall.Rule{
			Name:   fmt.Sprintf("rule %d", i),
			Action: rapid.SampledFrom([]firewall.Action{"permit", "refuse"}).Draw(t, "action"),
		}
		switch rapid.IntRange(0, 3).Draw(t, "who") {
		case 0:
			r.Everyone = true
		case 1:
			r.Groups = nametest.Refs("crew")
		case 2:
			r.Groups = nametest.Refs("crew", "science")
		}
		r.To = nametest.Refs(rapid.SliceOfNDistinct(rapid.SampledFrom(zoneNames), 0, 2, rapid.ID).Draw(t, "to")...)
		r.Services = nametest.Refs(
			rapid.SliceOfNDistinct(rapid.SampledFrom(serviceNames), 0, 2, rapid.ID).Draw(t, "services")...)
		if rapid.IntRange(0, 2).Draw(t, "from") == 0 {
			r.From = nametest.Refs("summit")
		}
		if rapid.IntRange(0, 2).Draw(t, "when") == 0 {
			r.When = &situation.When{Windows: nametest.Refs("night")}
		}
		doc.Rules = append(doc.Rules, r)
	}
	return doc
}

var (
	addresses = map[bool]string{true: "198.51.100.1", false: "203.0.113.1"}
	times     = map[bool]time.Time{
		true:  time.Date(2026, 11, 23, 20, 0, 0, 0, time.UTC),
		false: time.Date(2026, 11, 24, 20, 0, 0, 0, time.UTC),
	}
)

// The answer about a zone and a service is what asking every packet of them
// says; with facts left out it is consistent with every way of filling them in.
func TestAnswersAgreeWithEveryPacket(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc := drawDocument(t)
		a, s := compile(t, doc)
		user := rapid.IntRange(0, 1).Draw(t, "user")
		object := rapid.SampledFrom(zoneNames).Draw(t, "object")
		right := rapid.SampledFrom(serviceNames).Draw(t, "right")
		knowFrom, knowTime := rapid.Bool().Draw(t, "know from"), rapid.Bool().Draw(t, "know time")
		for _, inside := range []bool{true, false} {
			for _, night := range []bool{true, false} {
				full := situation.Situation{From: netip.MustParseAddr(addresses[inside]), At: times[night]}
				e := ask(t, a, s, user, object, right, full)
				yes, no, named := 0, 0, 0
				for _, p := range packets(object, right) {
					permitted, byName := first(doc, p, user, inside, night)
					if permitted {
						yes++
					} else {
						no++
					}
					if byName {
						named++
					}
				}
				want := rule.Depends
				switch {
				case no == 0:
					want = rule.Open
				case yes == 0 && named == 0:
					want = rule.None
				case yes == 0:
					want = rule.Shut
				}
				if e.State != want {
					t.Fatalf(
						"%s on %s, inside %v, night %v: %v %v %v, but %d packets permitted, %d not, %d named",
						right,
						object,
						inside,
						night,
						e.State,
						e.Needs,
						e.ShutBy,
						yes,
						no,
						named,
					)
				}
				if want == rule.Depends {
					keepsToPermitted(t, doc, e, object, right, user, inside, night)
				}
				partial := full
				if !knowFrom {
					partial.From = netip.Addr{}
				}
				if !knowTime {
					partial.At = time.Time{}
				}
				p := ask(t, a, s, user, object, right, partial)
				if p.State != rule.Depends && p.State != want {
					t.Fatalf(
						"%s on %s: %v with facts left out, %v with inside %v, night %v",
						right,
						object,
						p.State,
						want,
						inside,
						night,
					)
				}
				if yes > 0 && p.Surely() < rule.Depends {
					t.Fatalf(
						"%s on %s: open in no way with facts left out, but %d packets are permitted with inside %v, night %v",
						right,
						object,
						yes,
						inside,
						night,
					)
				}
			}
		}
	})
}

// keepsToPermitted reads the needs of a partly permitted answer back, and asks
// every packet that keeps to them: all of these must be permitted.
func keepsToPermitted(
	t *rapid.T,
	doc *firewall.Document,
	e rule.Entitlement,
	object, right string,
	user int,
	inside, night bool,
) {
	var to []netip.Prefix
	var ports []firewall.Service
	for _, n := range e.Needs {
		kind, value, _ := strings.Cut(string(n), ":")
		for _, part := range strings.Split(value, "|") {
			switch kind {
			case "to":
				to = append(to, ranges(part)[0].Prefix)
			case "port":
				if !strings.Contains(part, "/") && part != "tcp" && part != "udp" && part != "icmp" {
					part = services(serviceSpecs[right]...)[0].Proto + "/" + part
				}
				ports = append(ports, services(part)...)
			}
		}
	}
	kept := 0
	for _, p := range packets(object, right) {
		inTo, inPorts := to == nil, ports == nil
		for _, prefix := range to {
			inTo = inTo || prefix.Contains(p.to)
		}
		for _, s := range ports {
			inPorts = inPorts || s.Proto == p.proto && s.Low <= p.port && p.port <= s.High
		}
		if inTo && inPorts {
			kept++
			if ok, _ := first(doc, p, user, inside, night); !ok {
				t.Fatalf("%v keeps to %v but is refused", p, e.Needs)
			}
		}
	}
	if kept == 0 {
		t.Fatalf("no packet keeps to %v", e.Needs)
	}
}

// A rule that is reported as shadowed decides no packet for anyone, ever.
func TestShadowedRulesDecideNothing(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		doc := drawDocument(t)
		a, _ := compile(t, doc)
		for _, f := range check.Findings(a) {
			if f.Code != "shadowed" && f.Code != "too-early" {
				continue
			}
			names := []string{f.Where.Rule}
			if f.Code == "too-early" {
				names = f.Names
			}
			for _, n := range names {
				without := &firewall.Document{Default: doc.Default}
				for _, r := range doc.Rules {
					if r.Name != n {
						without.Rules = append(without.Rules, r)
					}
				}
				for _, p := range packets("all", "both") {
					for _, facts := range [][2]bool{{true, true}, {true, false}, {false, true}, {false, false}} {
						for user := range 2 {
							x, _ := first(doc, p, user, facts[0], facts[1])
							if y, _ := first(without, p, user, facts[0], facts[1]); x != y {
								t.Fatalf("%s: %s decides %v for user %d", f.Code, n, p, user)
							}
						}
					}
				}
			}
		}
	})
}

func TestServices(t *testing.T) {
	for written, want := range map[string]string{
		"tcp/443": "tcp/443", "udp/1000-2000": "udp/1000-2000", "icmp/echo-request": "icmp/echo-request", "icmp/8": "icmp/echo-request",
		"icmp": "icmp", "any": "any", "tcp": "tcp", "tcp/0-65535": "tcp", "esp": "esp", "icmp/200": "icmp/200",
	} {
		var s firewall.Service
		require.NoError(t, s.UnmarshalText([]byte(written)), written)
		assert.Equal(t, want, s.String())
	}
	for _, bad := range []string{"", "tcp/", "tcp/http", "tcp/70000", "tcp/5-4", "icmp/300", "esp/1", "TCP/1", "tcp/-1", "tcp/1-2-3"} {
		var s firewall.Service
		assert.Error(t, s.UnmarshalText([]byte(bad)), bad)
	}
}

func FuzzService(f *testing.F) {
	for _, seed := range []string{"tcp/443", "icmp/echo-reply", "any", "udp/1-65535", "gre"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, written string) {
		var s, again firewall.Service
		if s.UnmarshalText([]byte(written)) != nil {
			return
		}
		if err := again.UnmarshalText([]byte(s.String())); err != nil || again.Low != s.Low || again.High != s.High ||
			again.Proto != s.Proto {
			t.Fatalf("%q prints as %q: %v", written, s, err)
		}
	})
}

func TestDestinations(t *testing.T) {
	doc := &firewall.Document{Zones: map[string][]situation.Range{"dome": ranges("192.0.2.0/28")}, Rules: []firewall.Rule{
		{
			Name:     "crew",
			Action:   "permit",
			Who:      gate.Who{Groups: nametest.Refs("crew")},
			To:       nametest.Refs("192.0.2.0/26"),
			Services: nametest.Refs("tcp/22"),
		},
	}}
	a, s := compile(t, doc)
	for object, want := range map[string]rule.State{
		"dome": rule.Open, "DOME": rule.Open, "192.0.2.63": rule.Open, "192.0.2.60-192.0.2.63": rule.Open, "192.0.2.0/25": rule.Depends,
		"summit": rule.None, "any": rule.Depends, "2001:db8::1": rule.None,
	} {
		assert.Equal(t, want, ask(t, a, s, 0, object, "tcp/22", situation.Situation{}).State, object)
	}
	assert.Equal(
		t,
		[]situation.Need{"to:192.0.2.0/26"},
		ask(t, a, s, 0, "192.0.2.0/24", "tcp/22", situation.Situation{}).Needs,
	)
	assert.Equal(t, []situation.Need{"port:tcp/22"}, ask(t, a, s, 0, "dome", "any", situation.Situation{}).Needs)
	for _, bad := range [][2]string{{"doom", "tcp/22"}, {"dome", "shh"}, {"192.0.2.9-192.0.2.1", "tcp/22"}} {
		_, err := s.Gate.At(bad[0], bad[1])
		assert.Error(t, err, bad)
	}
}

// In front of a system the wall must let through to all of a destination by all of a service:
// a part of it is not enough, and is nothing that could be met.
func TestTheWallInFront(t *testing.T) {
	entry := func(action firewall.Action, group, to, service string, when *situation.When) firewall.Rule {
		r := firewall.Rule{Action: action, To: nametest.Refs(to), Services: nametest.Refs(service), When: when}
		if group != "" {
			r.Groups = nametest.Refs(group)
		}
		return r
	}
	night := &situation.When{Windows: nametest.Refs("night")}
	monday := func(hour int) situation.Situation {
		return situation.Situation{At: time.Date(2026, 11, 23, hour, 0, 0, 0, time.UTC)}
	}
	for _, c := range []struct {
		what  string
		rules []firewall.Rule
		given situation.Situation
		state rule.State
		ways  string
		point rule.State // asked about the same without standing in front
	}{
		{"all of it", []firewall.Rule{entry("permit", "crew", "all", "web", nil)}, situation.Situation{}, rule.Open, "[[]]", rule.Open},
		{"more than all", []firewall.Rule{entry("permit", "", "all", "web", nil)}, situation.Situation{}, rule.Open, "[[]]", rule.Open},
		{"a part of the addresses", []firewall.Rule{entry("permit", "crew", "low", "web", nil)}, situation.Situation{}, rule.Shut, "[]", rule.Depends},
		{"a part of the ports", []firewall.Rule{entry("permit", "crew", "all", "tls", nil)}, situation.Situation{}, rule.Shut, "[]", rule.Depends},
		{"part by part", []firewall.Rule{entry("permit", "crew", "low", "web", nil), entry("permit", "crew", "high", "web", nil)}, situation.Situation{}, rule.Open, "[[]]", rule.Open},
		{"but for a part", []firewall.Rule{entry("refuse", "", "low", "web", nil), entry("permit", "crew", "all", "web", nil)}, situation.Situation{}, rule.Shut, "[]", rule.Depends},
		{"by night", []firewall.Rule{entry("permit", "crew", "all", "web", night)}, situation.Situation{}, rule.Depends, "[[window:night]]", rule.Depends},
		{"by night, at night", []firewall.Rule{entry("permit", "crew", "all", "web", night)}, monday(20), rule.Open, "[[]]", rule.Open},
		{"by night, at noon", []firewall.Rule{entry("permit", "crew", "all", "web", night)}, monday(12), rule.Shut, "[]", rule.Shut},
		{"a part by night", []firewall.Rule{entry("permit", "crew", "low", "web", night)}, situation.Situation{}, rule.Shut, "[]", rule.Depends},
		{"for others", []firewall.Rule{entry("permit", "science", "all", "web", nil)}, situation.Situation{}, rule.None, "[]", rule.None},
	} {
		doc := &firewall.Document{
			Zones: map[string][]situation.Range{
				"low":  ranges("192.0.2.0/29"),
				"high": ranges("192.0.2.8/29"),
				"all":  ranges("192.0.2.0/28"),
			},
			Services: map[string][]firewall.Service{"web": services("tcp/80", "tcp/443"), "tls": services("tcp/443")},
			Rules:    c.rules,
		}
		a, s := compile(t, doc)
		front, err := s.Gate.InFront("", "", gate.Passage{"to": "all", "service": "web"})
		require.NoError(t, err)
		facts, err := a.Facts(c.given)
		require.NoError(t, err)
		e := a.Decide(a.Question(0, facts), s, front)
		assert.Equal(t, []string{c.state.String(), c.ways}, []string{e.State.String(), fmt.Sprint(e.OpenIf)}, c.what)
		brief := a.Question(0, facts)
		brief.Brief = true
		assert.Equal(t, c.state, front.Decide(brief).State, "%s, in brief", c.what)
		assert.Equal(t, c.point, ask(t, a, s, 0, "all", "web", c.given).State, "%s, in itself", c.what)
	}
	_, s := compile(t, &firewall.Document{})
	for _, keys := range []gate.Passage{{}, {"to": "192.0.2.1"}, {"service": "tcp/22"}, {"to": "192.0.2.1", "service": "tcp/22", "by": "x"}, {"to": "nowhere", "service": "tcp/22"}} {
		_, err := s.Gate.InFront("", "", keys)
		assert.Error(t, err, "%v", keys)
	}
}

// What of each part can be met, and not of all of them together, is told of the largest part of
// which it can.
func TestPartsThatDependOnOppositesAreToldApart(t *testing.T) {
	doc := &firewall.Document{
		Zones:    map[string][]situation.Range{},
		Services: map[string][]firewall.Service{"web": services("tcp/1-2")},
	}
	for z, p := range zonePrefixes {
		doc.Zones[z] = ranges(p...)
	}
	doc.Rules = []firewall.Rule{
		{Name: "not from the summit", Action: "refuse", From: nametest.Refs("summit"), To: nametest.Refs("odd")},
		{Name: "low", Action: "permit", Who: gate.Who{Everyone: true}, To: nametest.Refs("odd")},
		{
			Name:   "from the summit",
			Action: "permit",
			Who:    gate.Who{Everyone: true},
			From:   nametest.Refs("summit"),
			To:     nametest.Refs("high"),
		},
	}
	a, s := compile(t, doc)
	e := ask(t, a, s, 0, "all", "web", situation.Situation{})
	assert.Equal(t, rule.Depends, e.State)
	assert.Equal(t, rule.Depends, e.Surely(), "%v", e.OpenIf)
}

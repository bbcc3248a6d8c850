package roles_test

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func text(s string) place.Text { return place.Text{Value: s} }
func path(s string) roles.Path { return roles.Path{Text: text(s)} }
func patterns(list ...string) []gate.Pattern {
	var all []gate.Pattern
	for _, p := range list {
		all = append(all, gate.Pattern{Text: text(p)})
	}
	return all
}

var people = []string{"ilse", "teo", "rana"}
var crews = []string{"crew", "science", "data"}

// world is a directory in which person i is in the groups of bits i.
func world(member [3][3]bool) *directory.Document {
	d := &directory.Document{Name: "d"}
	for _, p := range people {
		d.Users = append(d.Users, &directory.User{Name: p})
	}
	for g, crew := range crews {
		m := &directory.Members{}
		for p, person := range people {
			if member[p][g] {
				m.Users = append(m.Users, nametest.Refs(person)...)
			}
		}
		d.Groups = append(d.Groups, &directory.Group{Name: crew, Members: m})
	}
	return d
}

func compile(t require.TestingT, d *directory.Document, doc *roles.Document) (*atlas.Atlas, *atlas.System) {
	a, err := atlas.Compile(&atlas.Map{
		Networks: []situation.Network{
			{Name: "summit", Prefixes: []netip.Prefix{netip.MustParsePrefix("198.51.100.0/25")}},
		},
		Directories: []*directory.Document{d},
		Systems:     []*gate.System{{Name: "s", Gate: doc}},
	})
	require.NoError(t, err)
	return a, a.Systems[0]
}

func situationOf(t require.TestingT, from, risk string) situation.Situation {
	s, err := situation.Parse(func(f string) string { return map[string]string{"from": from, "risk": risk}[f] })
	require.NoError(t, err)
	return s
}

// oracle walks the lines for one person, resource and right, by the words of
// docs/model.md section 5.1, with every fact known. It shares nothing with the
// engine but the documents.
type oracle struct {
	doc    *roles.Document
	member [3][3]bool
	inside bool
	risk   string
}

func (o oracle) holds(w *situation.When) bool {
	if w == nil {
		return true
	}
	if len(w.Networks) > 0 && !o.inside || len(w.NotNetworks) > 0 && o.inside {
		return false
	}
	return len(w.Risk) == 0 || slices.Contains(w.Risk, situation.Risk(o.risk))
}

func (o oracle) in(p int, groups []name.Ref) bool {
	for _, g := range groups {
		if o.member[p][slices.Index(crews, g.Name)] {
			return true
		}
	}
	return false
}

func (o oracle) who(p int, w gate.Who) bool {
	if w.Except != nil && o.in(p, w.Except.Groups) {
		return false
	}
	return w.Everyone || o.in(p, w.Groups)
}

func matches(list []gate.Pattern, right string) bool {
	for _, p := range list {
		if regexp.MustCompile("^" + strings.ReplaceAll(p.Value, "*", ".*") + "$").MatchString(right) {
			return true
		}
	}
	return false
}

func (o oracle) has(role, right string) bool {
	r := o.doc.Roles[role]
	if matches(r.Without, right) {
		return false
	}
	if matches(r.Rights, right) {
		return true
	}
	for _, i := range r.Includes {
		if o.has(i.Name, right) {
			return true
		}
	}
	return false
}

// above lists a resource and its ancestors, the nearest first.
func (o oracle) above(resource string) []roles.Resource {
	var chain []roles.Resource
	for at := resource; ; at = at[:strings.LastIndex(at, "/")] {
		if at == "" {
			at = "/"
		}
		for _, r := range o.doc.Resources {
			if r.Path.Value == at {
				chain = append(chain, r)
			}
		}
		if at == "/" {
			return chain
		}
	}
}

func (o oracle) comesDown(object, resource string) bool {
	for _, r := range o.above(resource) {
		if r.Path.Value == object {
			return true
		}
		if r.Sealed {
			return false
		}
	}
	return false
}

func (o oracle) tag(resource, key string) string {
	for _, r := range o.above(resource) {
		if v, ok := r.Tags[key]; ok {
			return v
		}
		if r.Sealed {
			return ""
		}
	}
	return ""
}

func (o oracle) state(p int, resource, right string) rule.State {
	given, open, denied := false, false, false
	for _, common := range o.doc.EveryoneHas {
		if o.comesDown("/", resource) && o.has(common.Name, right) {
			given, open = true, true
		}
	}
	for _, m := range o.doc.Mappings {
		if !o.comesDown(m.Object.Value, resource) || !o.has(m.Role.Name, right) || !o.who(p, m.Who) {
			continue
		}
		if want, ok := m.Where["stage"]; ok && o.tag(resource, "stage") != want {
			continue
		}
		if m.Effect == "deny" {
			denied = denied || o.holds(m.When)
			continue
		}
		given, open = true, open || o.holds(m.When)
	}
	if !given {
		return rule.None
	}
	for _, l := range o.doc.Limits {
		under := l.Object.Value == "/" || resource == l.Object.Value || strings.HasPrefix(resource, l.Object.Value+"/")
		excepted := l.Except != nil && o.in(p, l.Except.Groups)
		if under && !excepted && matches(l.Rights, right) && o.holds(l.When) {
			return rule.Shut
		}
	}
	if denied || !open {
		return rule.Shut
	}
	return rule.Open
}

var catalogue = []string{"frames:list", "frames:read", "jobs:run"}
var tree = []string{"/", "/raw", "/raw/2026", "/raw/embargo", "/reduced", "/rawer"}

func drawWhen(t *rapid.T) *situation.When {
	switch rapid.IntRange(0, 4).Draw(t, "when") {
	case 0:
		return &situation.When{Networks: nametest.Refs("summit")}
	case 1:
		return &situation.When{NotNetworks: nametest.Refs("summit"), Risk: []situation.Risk{"low"}}
	case 2:
		return &situation.When{Risk: []situation.Risk{"medium", "high"}}
	}
	return nil
}

func drawRights(t *rapid.T) []gate.Pattern {
	return patterns(
		rapid.SliceOfN(rapid.SampledFrom([]string{"frames:*", "*:list", "jobs:run", "frames:read", "*"}), 0, 2).
			Draw(t, "rights")...)
}

func drawWho(t *rapid.T) gate.Who {
	w := gate.Who{
		Groups:   nametest.Refs(rapid.SampledFrom(crews).Draw(t, "group")),
		Everyone: rapid.IntRange(0, 5).Draw(t, "everyone") == 0,
	}
	if rapid.IntRange(0, 3).Draw(t, "except") == 0 {
		w.Except = &directory.People{Groups: nametest.Refs(rapid.SampledFrom(crews).Draw(t, "excepted"))}
	}
	return w
}

func drawDocument(t *rapid.T) *roles.Document {
	d := &roles.Document{Roles: map[string]*roles.Role{}}
	for _, r := range catalogue {
		d.Rights = append(d.Rights, text(r))
	}
	for i, p := range tree {
		if i > 0 && rapid.IntRange(0, 3).Draw(t, "undeclared") == 0 {
			continue
		}
		r := roles.Resource{Path: path(p), Sealed: i > 0 && rapid.IntRange(0, 3).Draw(t, "sealed") == 0}
		if rapid.Bool().Draw(t, "tagged") {
			r.Tags = map[string]string{"stage": rapid.SampledFrom([]string{"raw", "reduced"}).Draw(t, "stage")}
		}
		d.Resources = append(d.Resources, r)
	}
	var names []string
	for _, role := range []string{"a", "b", "c"} {
		r := &roles.Role{Rights: drawRights(t), Without: drawRights(t)}
		if len(names) > 0 && rapid.Bool().Draw(t, "includes") {
			r.Includes = nametest.Refs(rapid.SampledFrom(names).Draw(t, "included"))
		}
		d.Roles[role] = r
		names = append(names, role)
	}
	if rapid.IntRange(0, 3).Draw(t, "everyone_has") == 0 {
		d.EveryoneHas = nametest.Refs("a")
	}
	declared := func(label string) roles.Path {
		return rapid.SampledFrom(d.Resources).Draw(t, label).Path
	}
	for range rapid.IntRange(0, 5).Draw(t, "mappings") {
		m := roles.Mapping{
			Who:    drawWho(t),
			Role:   name.Ref{Name: rapid.SampledFrom(names).Draw(t, "role")},
			Object: declared("object"),
			When:   drawWhen(t),
		}
		if rapid.IntRange(0, 3).Draw(t, "deny") == 0 {
			m.Effect = "deny"
		}
		if rapid.IntRange(0, 2).Draw(t, "where") == 0 {
			m.Where = map[string]string{"stage": "raw"}
		}
		d.Mappings = append(d.Mappings, m)
	}
	for i := range rapid.IntRange(0, 2).Draw(t, "limits") {
		l := roles.Limit{
			Name:   fmt.Sprintf("limit %d", i),
			Rights: drawRights(t),
			Object: declared("limited"),
			When:   drawWhen(t),
		}
		if rapid.Bool().Draw(t, "excepted") {
			l.Except = &directory.People{Groups: nametest.Refs(rapid.SampledFrom(crews).Draw(t, "exception"))}
		}
		d.Limits = append(d.Limits, l)
	}
	return d
}

// With all facts known the engine says what the oracle says. With some left
// out, open is open in every way of filling them in, shut and none in none of
// them; and a listing says what the single questions say.
func TestDecisionsAgreeWithAPlainWalk(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var member [3][3]bool
		for p := range people {
			for g := range crews {
				member[p][g] = rapid.Bool().Draw(t, "member")
			}
		}
		doc := drawDocument(t)
		a, s := compile(t, world(member), doc)
		addresses := map[string]bool{"198.51.100.1": true, "203.0.113.1": false}
		risks := []string{"low", "medium", "high"}
		someFrom := rapid.SampledFrom([]string{"", "198.51.100.1", "203.0.113.1"}).Draw(t, "from")
		someRisk := rapid.SampledFrom(append([]string{""}, risks...)).Draw(t, "risk")
		partial, err := a.Facts(situationOf(t, someFrom, someRisk))
		require.NoError(t, err)

		p := rapid.IntRange(0, 2).Draw(t, "person")
		u, err := a.Book.FindUser(people[p], "")
		require.NoError(t, err)
		listed := map[string]rule.State{}
		for _, e := range a.Reach(u, partial, nil) {
			listed[e.Object+e.Right] = e.State
		}
		for _, r := range doc.Resources {
			for _, right := range catalogue {
				point, err := s.Gate.At(r.Path.Value, right)
				require.NoError(t, err)
				got := a.Why(u, partial, s, point)
				if listed[r.Path.Value+right] != got.State {
					t.Fatalf("%s %s: listed %v, asked %v", r.Path.Value, right, listed[r.Path.Value+right], got.State)
				}
				for from, inside := range addresses {
					for _, risk := range risks {
						if someFrom != "" && someFrom != from || someRisk != "" && someRisk != risk {
							continue
						}
						want := oracle{doc, member, inside, risk}.state(p, r.Path.Value, right)
						full, err := a.Facts(situationOf(t, from, risk))
						require.NoError(t, err)
						if e := a.Why(u, full, s, point); e.State != want {
							t.Fatalf(
								"%s may %s on %s from %s at risk %s: %v, plainly %v",
								people[p],
								right,
								r.Path.Value,
								from,
								risk,
								e.State,
								want,
							)
						}
						consistent := got.State == rule.Depends && want != rule.None || got.State == want
						if !consistent {
							t.Fatalf(
								"%s %s: %v with facts left out, but %v from %s at risk %s",
								r.Path.Value,
								right,
								got.State,
								want,
								from,
								risk,
							)
						}
					}
				}
			}
		}
	})
}

package hosts_test

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func compile(t require.TestingT, doc *hosts.Document) (*atlas.Atlas, *atlas.System) {
	d := &directory.Document{Name: "d", Users: []*directory.User{{Name: "ilse"}}, Groups: []*directory.Group{
		{Name: "crew", Members: &directory.Members{Users: nametest.Refs("ilse")}}, {Name: "others"},
	}}
	a, err := atlas.Compile(
		&atlas.Map{Directories: []*directory.Document{d}, Systems: []*gate.System{{Name: "s", Gate: doc}}},
	)
	require.NoError(t, err)
	return a, a.Systems[0]
}

func patterns(list ...string) []gate.Pattern {
	var all []gate.Pattern
	for _, p := range list {
		all = append(all, gate.Pattern{Text: place.Text{Value: p}})
	}
	return all
}

var sets = map[string][]string{"red": {"red1", "red2"}, "dome": {"dome1"}, "red2": {"red2"}}

func about(list []name.Ref, host string) bool {
	return slices.ContainsFunc(list, func(r name.Ref) bool { return slices.Contains(sets[r.Name], host) })
}

func holds(w *situation.When, risk string) bool {
	return w == nil || slices.Contains(w.Risk, situation.Risk(risk))
}

func matches(list []gate.Pattern, command string) bool {
	return slices.ContainsFunc(list, func(p gate.Pattern) bool {
		return regexp.MustCompile("^" + strings.ReplaceAll(regexp.QuoteMeta(p.Value), `\*`, ".*") + "$").MatchString(command)
	})
}

// plain asks line after line with every fact known; an empty command is a
// login.
func plain(doc *hosts.Document, host, command, as, risk string) rule.State {
	given, open, denied := false, false, false
	if command == "" {
		for _, l := range doc.Login {
			if l.Groups[0].Name != "crew" || !about(l.Hosts, host) {
				continue
			}
			if l.Effect == "deny" {
				denied = denied || holds(l.When, risk)
			} else {
				given, open = true, open || holds(l.When, risk)
			}
		}
	} else {
		for _, e := range doc.Elevate {
			if e.Groups[0].Name == "crew" && about(e.Hosts, host) && e.As == as && matches(e.Commands, command) && !matches(e.Except, command) {
				given, open = true, open || holds(e.When, risk)
			}
		}
		denied = plain(doc, host, "", "", risk) != rule.Open
	}
	switch {
	case !given:
		return rule.None
	case denied || !open:
		return rule.Shut
	}
	return rule.Open
}

func TestDecisionsAgreeWithAPlainWalk(t *testing.T) {
	risks := []string{"low", "medium", "high"}
	commands := []string{"/bin/restart a", "/bin/restart b", "/bin/stop a"}
	rapid.Check(t, func(t *rapid.T) {
		doc := &hosts.Document{
			Hosts: map[string][]place.Text{"red": {{Value: "red1"}, {Value: "red2"}}, "dome": {{Value: "dome1"}}},
		}
		who := func() gate.Who {
			return gate.Who{Groups: nametest.Refs(rapid.SampledFrom([]string{"crew", "crew", "others"}).Draw(t, "group"))}
		}
		when := func() *situation.When {
			if rapid.Bool().Draw(t, "when") {
				return &situation.When{Risk: []situation.Risk{situation.Risk(rapid.SampledFrom(risks).Draw(t, "risk"))}}
			}
			return nil
		}
		on := func() []name.Ref {
			return nametest.Refs(rapid.SampledFrom([]string{"red", "dome", "red2"}).Draw(t, "hosts"))
		}
		for range rapid.IntRange(0, 4).Draw(t, "logins") {
			l := hosts.Login{Who: who(), Hosts: on(), When: when()}
			if rapid.IntRange(0, 3).Draw(t, "deny") == 0 {
				l.Effect = "deny"
			}
			doc.Login = append(doc.Login, l)
		}
		for range rapid.IntRange(0, 3).Draw(t, "lifts") {
			e := hosts.Elevate{
				Who:   who(),
				Hosts: on(),
				When:  when(),
				As:    rapid.SampledFrom([]string{"root", "dome"}).Draw(t, "as"),
			}
			e.Commands = patterns(rapid.SampledFrom([]string{"/bin/restart *", "*", "/bin/stop a"}).Draw(t, "commands"))
			if rapid.Bool().Draw(t, "except") {
				e.Except = patterns("* b")
			}
			doc.Elevate = append(doc.Elevate, e)
		}
		a, s := compile(t, doc)
		for _, host := range []string{"red1", "red2", "dome1"} {
			for _, command := range append(commands, "") {
				for _, as := range []string{"root", "dome"} {
					right := "run " + command + " as " + as
					if command == "" {
						right = "login"
					}
					ask := func(risk string) rule.Entitlement {
						p, err := s.Gate.At(host, right)
						require.NoError(t, err)
						f, err := a.Facts(situation.Situation{Risk: situation.Risk(risk)})
						require.NoError(t, err)
						return a.Why(0, f, s, p)
					}
					partial := ask("")
					for _, risk := range risks {
						want := plain(doc, host, command, as, risk)
						if got := ask(risk); got.State != want {
							t.Fatalf("%s on %s at risk %s: %v %v, plainly %v", right, host, risk, got.State, got.ShutBy, want)
						}
						if partial.State != rule.Depends && partial.State != want {
							t.Fatalf("%s on %s: %v with the risk unknown, %v at %s", right, host, partial.State, want, risk)
						}
					}
				}
			}
		}
	})
}

func TestListingsAndErrors(t *testing.T) {
	a, s := compile(t, &hosts.Document{
		Hosts: map[string][]place.Text{"red": {{Value: "red1"}}},
		Login: []hosts.Login{
			{Who: gate.Who{Groups: nametest.Refs("crew")}, Hosts: nametest.Refs("red1")},
			{Who: gate.Who{Groups: nametest.Refs("crew")}, Hosts: nametest.Refs("rad")},
		},
		Elevate: []hosts.Elevate{
			{
				Who:      gate.Who{Groups: nametest.Refs("crew")},
				Hosts:    nametest.Refs("red"),
				Commands: patterns("/bin/x *", "/bin/y"),
				As:       "root",
			},
		},
	})
	f, err := a.Facts(situation.Situation{})
	require.NoError(t, err)
	var got []string
	for _, e := range a.Reach(0, f, nil) {
		got = append(got, e.Object+" "+e.Right)
	}
	assert.Equal(t, []string{"red1 login", "red1 run /bin/x * as root", "red1 run /bin/y as root"}, got)
	require.Len(t, s.Site.Findings, 1)
	assert.Contains(t, s.Site.Findings[0].Message, "did you mean red")
	for _, bad := range [][2]string{{"red9", "login"}, {"red1", "log in"}, {"red1", "run as root"}, {"red1", "run /bin/x as "}} {
		_, err := s.Gate.At(bad[0], bad[1])
		assert.Error(t, err, bad)
	}
}

package reading_test

import (
	"errors"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// promises compiles guarantees beside a system of roles in which only crew may purge.
func promises(t *testing.T, list ...*atlas.Guarantee) *atlas.Atlas {
	t.Helper()
	d := &directory.Document{
		Name:   "d",
		Users:  []*directory.User{{Name: "ilse"}, {Name: "tor"}, {Name: "dana"}},
		Groups: []*directory.Group{{Name: "crew", Members: &directory.Members{Users: nametest.Refs("ilse", "dana")}}},
	}
	s := &gate.System{
		Name: "frames", Type: name.Ref{Name: "roles"}, Directory: name.Ref{Name: "d"}, Link: &gate.Link{},
		Gate: &roles.Document{
			Rights:    []place.Text{{Value: "frames:read"}, {Value: "frames:purge"}},
			Resources: []roles.Resource{{Path: path("/")}},
			Roles:     map[string]*roles.Role{"keeper": {Rights: []gate.Pattern{{Text: place.Text{Value: "frames:purge"}}}}},
			Mappings: []roles.Mapping{
				{Who: gate.Who{Groups: nametest.Refs("crew")}, Role: name.Ref{Name: "keeper"}, Object: path("/")},
			},
		},
	}
	a, err := atlas.Compile(
		&atlas.Map{Directories: []*directory.Document{d}, Systems: []*gate.System{s}, Guarantees: list},
	)
	require.NoError(t, err)
	return a
}

func path(p string) (at roles.Path) {
	at.Value = p
	return at
}

func what(right string) atlas.What {
	return atlas.What{System: name.Ref{Name: "frames"}, Right: gate.Pattern{Text: place.Text{Value: right}}}
}

// A guarantee that is asked of what is really there is judged by readings: of whom it is about the map
// says, and strangers count among everyone.
func TestGuaranteesOfWhatIsReallyThere(t *testing.T) {
	everyone, crew := &gate.Who{Everyone: true}, &gate.Who{Groups: nametest.Refs("crew")}
	butCrew := &gate.Who{Everyone: true, Except: &directory.People{Groups: nametest.Refs("crew")}}
	purge, one, two := what("frames:purge"), 1, 2
	for _, x := range []struct {
		name  string
		g     *atlas.Guarantee
		held  []thing // really there
		state string
		users []string
	}{
		{"all of the crew can", &atlas.Guarantee{Every: crew, Can: &purge}, []thing{{"d/ilse", "/", "frames:purge"}, {"d/dana", "/", "frames:purge"}}, "kept", nil},
		{"by the map they all can, and really one cannot", &atlas.Guarantee{Every: crew, Can: &purge}, []thing{{"d/dana", "/", "frames:purge"}}, "broken", []string{"d/ilse"}},
		{"nobody else can", &atlas.Guarantee{Nobody: butCrew, Can: &purge}, []thing{{"d/ilse", "/", "frames:purge"}}, "kept", nil},
		{"somebody else really can", &atlas.Guarantee{Nobody: butCrew, Can: &purge}, []thing{{"d/tor", "/", "frames:purge"}}, "broken", []string{"d/tor"}},
		{"a stranger can", &atlas.Guarantee{Nobody: butCrew, Can: &purge}, []thing{{"d/vendor", "/", "frames:purge"}}, "broken", []string{"frames/vendor"}},
		{"a stranger is none of a group", &atlas.Guarantee{Nobody: crew, Can: &purge}, []thing{{"d/vendor", "/", "frames:purge"}}, "kept", nil},
		{"strangers are counted", &atlas.Guarantee{AtMost: &one, Can: &purge}, []thing{{"d/vendor", "/", "frames:purge"}, {"d/ilse", "/", "frames:purge"}}, "broken", []string{"d/ilse", "frames/vendor"}},
		{"up to so many may", &atlas.Guarantee{AtMost: &two, Can: &purge}, []thing{{"d/vendor", "/", "frames:purge"}, {"d/ilse", "/", "frames:purge"}}, "kept", nil},
		{"nobody holds both", &atlas.Guarantee{Nobody: everyone, HoldsBoth: []atlas.What{what("frames:read"), purge}}, []thing{{"d/ilse", "/", "frames:purge"}, {"d/tor", "/", "frames:read"}}, "kept", nil},
		{"a stranger holds both", &atlas.Guarantee{Nobody: everyone, HoldsBoth: []atlas.What{what("frames:read"), purge}}, []thing{{"d/vendor", "/", "frames:purge"}, {"d/vendor", "/", "frames:read"}}, "broken", []string{"frames/vendor"}},
		{"switched off", &atlas.Guarantee{Nobody: everyone, Can: &purge, Off: true}, []thing{{"d/ilse", "/", "frames:purge"}}, "kept", nil},
	} {
		t.Run(x.name, func(t *testing.T) {
			x.g.Name, x.g.Really = "g", true
			a := promises(t, x.g)
			s, err := a.System("frames")
			require.NoError(t, err)
			c := readOf(t, a, s, x.held, time.Now())
			g, err := reading.Kept(a, a.Guarantees[0], func(system string) (*reading.Compiled, error) {
				assert.Equal(t, "frames", system)
				return c, nil
			})
			require.NoError(t, err)
			assert.Equal(t, x.state, g.State, g.Reason)
			assert.ElementsMatch(t, x.users, g.Users)
		})
	}
}

// Without a reading it is broken, and says why; nobody asked says so too.
func TestAGuaranteeWithoutAReadingIsBroken(t *testing.T) {
	purge := what("frames:purge")
	a := promises(t, &atlas.Guarantee{Name: "g", Nobody: &gate.Who{Everyone: true}, Can: &purge, Really: true})
	_, err := reading.Kept(
		a,
		a.Guarantees[0],
		func(string) (*reading.Compiled, error) { return nil, errors.New("it was never read") },
	)
	assert.EqualError(t, err, "it was never read")
	g := check.Guarantees(a)[0]
	assert.True(t, g.Broken())
	assert.Equal(
		t,
		"It is asked of what is really there, and that is not known: nobody asked what is really there.",
		g.Reason,
	)
}

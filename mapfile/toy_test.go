package mapfile_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/situation"
	"gatemap/mapfile"
)

// toy is a gate type made up here: it opens one lamp to whom it names. Nothing
// outside this file knows of it.
var toy = gate.Type{Name: "toy", Doc: "A lamp.", New: func() gate.Document { return &lamp{} }}

type lamp struct {
	gate.Who `yaml:",inline"`
	Lamp     string `yaml:"lamp,required"`
	line     gate.Line
	crowd    *gate.Crowd
	system   string
}

func (l *lamp) Compile(s *gate.Site) gate.Gate {
	l.system, l.line = s.System.Name, s.Line("lamp", s.System.Place)
	l.crowd = s.Who(&l.Who, l.line, gate.Giving)
	return l
}

func (l *lamp) Object() string { return l.Lamp }

func (l *lamp) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: l.system, Object: l.Lamp, Right: "light"}
	if l.crowd.Has(q) {
		e.Judge(gate.Opened)
		e.Routes = l.crowd.Routes(q, l.line.Name)
	}
	return e
}

func (l *lamp) Lines() gate.Held { return nil }

func (l *lamp) Misses(*gate.Question) []gate.Miss                  { return nil }
func (l *lamp) At(string, string) (gate.Point, error)              { return l, nil }
func (l *lamp) Reach(q *gate.Question, add func(gate.Entitlement)) { add(l.Decide(q)) }
func (l *lamp) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: []string{l.Lamp}, Rights: []string{"light"}}
}
func (l *lamp) Check(r *gate.Report) { r.DirectUsers(l.crowd, l.line) }

// Passage lets the lamp stand in front of other systems.
func (l *lamp) Passage(string, string, gate.Passage) (gate.Point, error) { return l, nil }

func TestATypeFromOutsideWorksEverywhere(t *testing.T) {
	table := append(slices.Clone(types.Table), toy)
	m, err := mapfile.Parse([]mapfile.File{{Path: mapfile.Head, Content: []byte(`title: Toys
---
directory: d
users: [{userName: ilse}, {userName: teo}]
---
system: dome
type: toy
users: [ilse]
lamp: red
---
system: tools
type: licences
behind: [{toy: dome}]
products: [{product: planner, features: [calendar]}]
mappings: [{everyone: true, product: planner}]
---
guarantees: [{guarantee: lit, every: {users: [ilse]}, can: {system: dome, right: light}}]
`)}}, table, connectors.Kinds())
	require.NoError(t, err)
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	facts, err := a.Facts(situation.Situation{})
	require.NoError(t, err)
	ilse := a.Reach(0, facts, nil)
	require.Len(t, ilse, 2)
	assert.Equal(t, []gate.State{gate.Open, gate.Open}, []gate.State{ilse[0].State, ilse[1].State})
	teo := a.Reach(1, facts, a.Systems[1])
	require.Len(t, teo, 1)
	assert.Equal(t, gate.ByGate, teo[0].ShutBy[0].Reason)
	schema, err := mapfile.Schema(table, connectors.Kinds())
	require.NoError(t, err)
	assert.Contains(t, string(schema), `"system-toy"`)
	_, err = mapfile.Parse([]mapfile.File{{Path: "s.yaml", Content: []byte("system: dome\ntype: toy\nlamb: red\n")}}, table, connectors.Kinds())
	assert.ErrorContains(t, err, `s.yaml:3:1: unknown key "lamb"; did you mean lamp?`)
}

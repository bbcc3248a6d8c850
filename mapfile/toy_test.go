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
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/mapfile"
)

// toy is a gate type made up here: it opens one lamp to whom it names. Nothing
// outside this file knows of it.
var toy = gate.Type{Name: "toy", Doc: "A lamp.", New: func() gate.Document { return &lamp{} }}

type lamp struct {
	gate.Who `yaml:",inline"`
	Lamp     string `yaml:"lamp,required"`
}

// lit is the compiled gate: one permission, for those whom the one line names.
type lit struct {
	*rule.Listing
	lamp string
	by   *rule.Rule
	at   *rule.Entry
}

func (l *lamp) Compile(s *gate.Site) gate.Gate {
	r := s.Rule(s.Line("lamp", s.System.Place), &l.Who, nil, rule.Giving)
	d := &rule.Decision{Index: &s.Index, Nearest: &rule.Level{Gives: rule.Lines(r)}}
	g := &lit{
		rule.NewListing(s.System.Name, &s.Index),
		l.Lamp,
		r,
		&rule.Entry{System: s.System.Name, On: l.Lamp, Right: "light", Decision: d},
	}
	g.Add(l.Lamp, "light", d, d.Nearest.Gives, false)
	return g
}

func (l *lit) At(string, string) (rule.Permission, error) { return l.at, nil }
func (l *lit) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: l.Objects(), Rights: l.Rights()}
}
func (l *lit) Check(r *gate.Report) { r.DirectUsers(l.by) }

// InFront lets the lamp stand in front of other systems.
func (l *lit) InFront(string, string, gate.Passage) (rule.Permission, error) { return l.at, nil }

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
	assert.Equal(t, []rule.State{rule.Open, rule.Open}, []rule.State{ilse[0].State, ilse[1].State})
	teo := a.Reach(1, facts, a.Systems[1])
	require.Len(t, teo, 1)
	assert.Equal(t, rule.ByGate, teo[0].ShutBy[0].Reason)
	schema, err := mapfile.Schema(table, connectors.Kinds())
	require.NoError(t, err)
	assert.Contains(t, string(schema), `"system-toy"`)
	_, err = mapfile.Parse(
		[]mapfile.File{{Path: "s.yaml", Content: []byte("system: dome\ntype: toy\nlamb: red\n")}},
		table,
		connectors.Kinds(),
	)
	assert.ErrorContains(t, err, `s.yaml:3:1: unknown key "lamb"; did you mean lamp?`)
}

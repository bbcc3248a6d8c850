package workspace_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/service/content"
	"gatemap/workspace"
)

// A record of a source is the same after it was kept, whatever is in it.
func TestRecordsAreKeptWhole(t *testing.T) {
	f, err := content.ReadFS(fstest.MapFS{
		"gatemap.yaml":       {Data: []byte("title: Records\ntime_zone: Atlantic/Canary\n")},
		"directories/d.yaml": {Data: []byte("directory: d\nsource: {ldif: people.ldif, users: {name: uid}}\n")},
		"people.ldif":        {Data: []byte("version: 1\n")},
	})
	require.NoError(t, err)
	dice := rand.New(rand.NewPCG(7, 7))
	at := func() place.Place { return place.Place{File: "people.ldif", Line: dice.Int32N(9) + 1} }
	refs := func() []name.Ref {
		var list []name.Ref
		for range 1 + dice.IntN(4) {
			list = append(list, name.Ref{Name: pick(dice, "", "u0", "uid=ü,dc=x", "two\nlines"), Place: at()})
		}
		return list
	}
	attributes := func() directory.Attributes {
		all := directory.Attributes{}
		for i := range dice.IntN(5) {
			require.NoError(t, all.Set(fmt.Sprintf("attribute%d", i), pick[any](dice,
				"", "Night assistant", "\x00", true, json.Number("7.50"), []any{"a", "b"}, []any{json.Number("1"), false, "x"},
				map[string]any{"value": "ilse@cindervale.example", "primary": true},
			)))
		}
		return all
	}
	var r connect.Records
	yes := true
	for i := range 300 {
		u := &directory.User{
			Place:      at(),
			Name:       fmt.Sprintf("u%03d", i),
			Active:     pick(dice, nil, new(bool), &yes),
			Attributes: attributes(),
		}
		if dice.IntN(2) == 0 {
			u.Expires.Time = time.Date(2026, 12, 31, 12, 0, 0, i, time.UTC)
		}
		if dice.IntN(2) == 0 {
			u.PrimaryGroup = name.Ref{Name: "g000", Place: at()}
		}
		g := &directory.Group{
			Place:       at(),
			Name:        fmt.Sprintf("g%03d", i),
			Description: pick(dice, "", "Öl"),
			Kind:        pick[directory.Kind](dice, "", "mail"),
			Members:     &directory.Members{Any: refs()},
		}
		if dice.IntN(2) == 0 {
			g.Managers = &directory.People{Users: refs()}
		}
		d := &directory.Device{
			Place:   at(),
			Name:    fmt.Sprintf("d%03d", i),
			Managed: pick(dice, nil, new(bool), &yes),
			Attrs:   attributes(),
		}
		if dice.IntN(2) == 0 {
			d.PrimaryGroup = name.Ref{Name: "g001", Place: at()}
		}
		r.Users, r.Groups, r.Devices = append(r.Users, u), append(r.Groups, g), append(r.Devices, d)
	}
	f.Records["d"] = r
	f.Map.Directories[0].Users, f.Map.Directories[0].Groups, f.Map.Directories[0].Devices = r.Users, r.Groups, r.Devices

	data := t.TempDir()
	s, err := workspace.Open(ctx, data, quiet(), workspace.Options{})
	require.NoError(t, err)
	_, err = s.Folders.Commit(ctx, f, "test", "first")
	require.NoError(t, err)
	require.NoError(t, s.Close())
	s, err = workspace.Open(ctx, data, quiet(), workspace.Options{})
	require.NoError(t, err)
	defer s.Close()
	book := s.Head().Atlas.Book
	for i, u := range r.Users {
		require.Equal(t, u, book.User(directory.UserID(i)))
		require.Equal(t, r.Groups[i], book.Group(directory.GroupID(i)))
		require.Equal(t, r.Devices[i], book.Device(directory.DeviceID(i)))
	}
	again, err := s.Folders.Commit(ctx, f, "test", "the same")
	require.NoError(t, err)
	assert.Equal(t, 1, again.Number, "what is the same makes no revision")
	row := func(members []name.Ref) []byte {
		row, err := content.FromGroup(&directory.Group{Members: &directory.Members{Any: members}}).Row("d", "group", "g")
		require.NoError(t, err)
		return row.Body
	}
	assert.Equal(t, row(nil), row([]name.Ref{}), "a group that lost its last member is one without any")
}

func pick[T any](dice *rand.Rand, from ...T) T { return from[dice.IntN(len(from))] }

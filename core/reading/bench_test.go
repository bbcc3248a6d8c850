package reading_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// large is a map of logins in 5 of 500 groups each, each of which is granted reading of 2,000 of
// 20,000 tables, and the reading of a database that holds it with some differences: half of them
// memberships, half of them grants.
func large(b testing.TB, logins, differences int) (*atlas.Atlas, *gate.System, *reading.Reading) {
	const groups, tables, each = 500, 20_000, 2000
	r := rand.New(rand.NewPCG(1, 2))
	d := &directory.Document{Name: "people"}
	members := make([][]string, groups)
	for i := range logins {
		named := fmt.Sprintf("u%05d", i)
		d.Users = append(d.Users, &directory.User{Name: named})
		for _, g := range r.Perm(groups)[:5] {
			members[g] = append(members[g], named)
		}
	}
	granted := make([][]int, tables)
	for g := range groups {
		for _, t := range r.Perm(tables)[:each] {
			granted[t] = append(granted[t], g)
		}
	}
	refs := func(prefix string, table int) (list []name.Ref) {
		for _, g := range granted[table] {
			list = append(list, name.Ref{Name: fmt.Sprintf("%sg%03d", prefix, g)})
		}
		return list
	}
	path := func(i int) (p roles.Path) {
		p.Value = fmt.Sprintf("/sky/t%05d", i)
		return p
	}
	document := func(prefix string) *roles.Document {
		select_ := place.Text{Value: "table:select"}
		doc := &roles.Document{
			Rights: []place.Text{select_},
			Roles:  map[string]*roles.Role{"reader": {Rights: []gate.Pattern{{Text: select_}}}},
		}
		for i := range tables {
			doc.Resources = append(doc.Resources, roles.Resource{Path: path(i)})
			doc.Mappings = append(
				doc.Mappings,
				roles.Mapping{Who: gate.Who{Groups: refs(prefix, i)}, Role: name.Ref{Name: "reader"}, Object: path(i)},
			)
		}
		return doc
	}
	read := &reading.Reading{
		System:  "frames",
		Type:    "roles",
		At:      time.Now(),
		Objects: map[string]string{},
		Rights:  map[string][]string{"table": {"table:select"}},
	}
	there := document("gm_")
	for i := range tables {
		read.Objects[path(i).Value] = "table"
	}
	for _, u := range d.Users {
		read.Accounts = append(read.Accounts, reading.Account{Name: u.Name, Active: true})
	}
	for g := range groups {
		m := &directory.Members{}
		for _, named := range members[g] {
			m.Users = append(m.Users, name.Ref{Name: named})
		}
		d.Groups = append(d.Groups, &directory.Group{Name: fmt.Sprintf("g%03d", g), Members: m})
		read.Groups = append(read.Groups, reading.Group{Name: fmt.Sprintf("gm_g%03d", g), Accounts: slices.Clone(members[g])})
	}
	for range differences / 2 {
		g := r.IntN(groups)
		at := r.IntN(len(read.Groups[g].Accounts))
		read.Groups[g].Accounts = slices.Delete(read.Groups[g].Accounts, at, at+1)
		who := &there.Mappings[r.IntN(tables)].Who
		at = r.IntN(len(who.Groups))
		who.Groups = slices.Delete(who.Groups, at, at+1)
	}
	read.Document = there
	s := &gate.System{
		Name: "frames",
		Type: name.Ref{Name: "roles"},
		Gate: document(""),
		Link: &gate.Link{Names: gate.Written{Groups: "gm_{name}"}},
	}
	a, err := atlas.Compile(&atlas.Map{Directories: []*directory.Document{d}, Systems: []*gate.System{s}})
	require.NoError(b, err)
	return a, s, read
}

// A reading of a million grants, compared with the map.
func BenchmarkDrift(b *testing.B) {
	a, s, read := large(b, 10_000, 1_000)
	for b.Loop() {
		began := time.Now()
		c, err := reading.Compile(read, a, s)
		require.NoError(b, err)
		compiled := time.Now()
		d, err := reading.Between(c, roles.Type)
		require.NoError(b, err)
		b.ReportMetric(compiled.Sub(began).Seconds(), "compile-s")
		b.ReportMetric(time.Since(compiled).Seconds(), "drift-s")
		b.ReportMetric(float64(len(d.Items)), "items")
		b.ReportMetric(float64(len(d.Causes)), "causes")
	}
}

package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"runtime/debug"
	"strings"
	"time"

	"gatemap/cli/collector"
	"gatemap/connect"
	"gatemap/connect/postgres"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
	"gatemap/tools/database"
)

// What the database of the measurement holds: each group is granted reading of some tables.
const (
	logins, inGroups   = 10_000, 5
	dbGroups, dbTables = 500, 20_000
	grantsOfGroup      = 2_000 // of dbTables: a million in all
	planted            = 1_000
)

// observed is what a process of its own says of one reading of the database, and of the drift.
type observed struct {
	Read, Compiled, Drift time.Duration
	Items, Causes         int
	More                  int           // kB at the most above what it had before
	Really, Mapped        time.Duration // what one login holds, by the reading and by the map
}

// linked measures a reading of a large database, down to the drift.
func (b *bench) linked() error {
	var got observed
	if err := apart(&got, "--linked"); err != nil {
		return err
	}
	all := got.Read + got.Compiled + got.Drift
	b.rows = append(
		b.rows,
		row{
			work: fmt.Sprintf(
				"a reading of 10,000 logins and a million grants to the drift; %d MB above the service",
				got.More>>10,
			),
			own:      all,
			baseline: "20 s",
			other:    20 * time.Second,
			least:    1,
		},
		row{work: "of it reading the database", own: got.Read},
		row{work: "of it compiling what was read", own: got.Compiled},
		row{
			work:     fmt.Sprintf("of it the difference to the map (%d entitlements, %d causes)", got.Items, got.Causes),
			own:      got.Drift,
			baseline: "2 s",
			other:    2 * time.Second,
			least:    1,
		},
		row{
			work: "what one login really holds", own: got.Really,
			baseline: "the same by the map, as a trial says it", other: got.Mapped, least: 1.1, slower: true,
		},
	)
	return nil
}

// observe is the process of its own.
func observe() error {
	dir, err := os.MkdirTemp("", "gatemap-measure-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	server, err := database.Start(dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	random := rand.New(rand.NewPCG(1, 2))
	members, grants, err := fillDatabase(server, random)
	if err != nil {
		return err
	}
	if err := os.Setenv("GATEMAP_SECRET_FRAMES", database.Secret); err != nil {
		return err
	}
	s := &gate.System{
		Name: "frames", Type: name.Ref{Name: "roles"}, Gate: &roles.Document{},
		Link: &gate.Link{Connection: directory.Connection{Name: "postgres", Live: true, Document: &postgres.Document{
			Address: place.Text{
				Value: server.Address,
			}, Database: "frames", User: database.Reader, Secret: &connect.Secret{Env: "GATEMAP_SECRET_FRAMES"},
			Timeout: directory.Span{Duration: 10 * time.Minute},
		}}},
	}
	a, s, err := adoptedMap(s)
	if err != nil {
		return err
	}
	var differences strings.Builder
	for range planted / 2 {
		at := random.IntN(len(members))
		fmt.Fprintf(&differences, "REVOKE %s;\n", members[at])
		at = random.IntN(len(grants))
		fmt.Fprintf(&differences, "REVOKE %s;\n", grants[at])
	}
	if err := server.Run("frames", differences.String()); err != nil {
		return err
	}
	debug.FreeOSMemory()
	before := resident("VmRSS")
	if err := os.WriteFile("/proc/self/clear_refs", []byte("5"), 0o200); err != nil { // the peak begins anew (proc(5))
		return err
	}
	var got observed
	began := time.Now()
	rest := collector.Busy() // as the service does
	r, err := connect.Observe(context.Background(), s, connect.Host{}, func(int) {})
	if err != nil {
		return err
	}
	got.Read = time.Since(began)
	began = time.Now()
	c, err := reading.Compile(r, a, s)
	if err != nil {
		return err
	}
	got.Compiled = time.Since(began)
	rest()
	began = time.Now()
	d, err := reading.Between(c, roles.Type)
	if err != nil {
		return err
	}
	got.Drift, got.Items, got.Causes, got.More = time.Since(began), len(d.Items), len(d.Causes), resident("VmHWM")-before
	got.Really, got.Mapped = really(a, c)
	return json.NewEncoder(os.Stdout).Encode(got)
}

// really is how long it takes to say what one login holds, by the reading and by the map.
func really(a *atlas.Atlas, c *reading.Compiled) (real, mapped time.Duration) {
	const some = 100
	var here, there []directory.UserID
	for i := range some {
		account := c.Accounts[i*len(c.Accounts)/some].Name
		u, err := c.Atlas.Book.FindUser(c.Full(account), "")
		if by, tied := c.UserOf[account]; tied && err == nil {
			here, there = append(here, by), append(there, u)
		}
	}
	ask := func(a *atlas.Atlas, users []directory.UserID) func() {
		facts := a.Frame.Facts(nothing, nil)
		return func() {
			for _, u := range users {
				a.Reach(u, facts, nil)
			}
		}
	}
	real, mapped = inTurn(7, ask(c.Atlas, there), ask(a, here))
	return real / time.Duration(len(there)), mapped / time.Duration(len(here))
}

// adoptedMap is a map in which the system is as it is there.
func adoptedMap(s *gate.System) (*atlas.Atlas, *gate.System, error) {
	empty, err := atlas.Compile(&atlas.Map{Systems: []*gate.System{s}})
	if err != nil {
		return nil, nil, err
	}
	r, err := connect.Observe(context.Background(), s, connect.Host{}, func(int) {})
	if err != nil {
		return nil, nil, err
	}
	c, err := reading.Compile(r, empty, s)
	if err != nil {
		return nil, nil, err
	}
	is, own := c.Adopted(s)
	a, err := atlas.Compile(&atlas.Map{Directories: []*directory.Document{own}, Systems: []*gate.System{is}})
	return a, is, err
}

// fillDatabase makes logins, groups, tables and grants, and gives the memberships and grants as what
// follows REVOKE.
func fillDatabase(server *database.Server, random *rand.Rand) (members, grants []string, err error) {
	if err := server.Run("postgres", "CREATE DATABASE frames"); err != nil {
		return nil, nil, err
	}
	var out strings.Builder
	flush := func() {
		if err == nil {
			err = server.Run("frames", out.String())
		}
		out.Reset()
	}
	out.WriteString("CREATE SCHEMA sky; GRANT USAGE ON SCHEMA sky TO PUBLIC;\n")
	for g := range dbGroups {
		fmt.Fprintf(&out, "CREATE ROLE g%03d;\n", g)
	}
	flush()
	for u := range logins {
		fmt.Fprintf(&out, "CREATE ROLE u%05d LOGIN;\n", u)
		for _, g := range random.Perm(dbGroups)[:inGroups] {
			fmt.Fprintf(&out, "GRANT g%03d TO u%05d;\n", g, u)
			members = append(members, fmt.Sprintf("g%03d FROM u%05d", g, u))
		}
		if u%1000 == 999 {
			flush()
		}
	}
	granted := make([][]string, dbTables)
	for g := range dbGroups {
		for _, t := range random.Perm(dbTables)[:grantsOfGroup] {
			granted[t] = append(granted[t], fmt.Sprintf("g%03d", g))
			grants = append(grants, fmt.Sprintf("SELECT ON sky.t%05d FROM g%03d", t, g))
		}
	}
	for t := range dbTables {
		fmt.Fprintf(
			&out,
			"CREATE TABLE sky.t%05d ();\nGRANT SELECT ON sky.t%05[1]d TO %[2]s;\n",
			t,
			strings.Join(granted[t], ", "),
		)
		if t%500 == 499 {
			flush()
		}
	}
	flush()
	return members, grants, err
}

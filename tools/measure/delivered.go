package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"testing/fstest"
	"time"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/content"
	"gatemap/stage"
	"gatemap/tools/database"
	"gatemap/workspace"
)

// What is delivered in the measurement: each user is in some groups, and each group is granted all
// tables.
const (
	deliveredUsers, deliveredGroups = 2_000, 20
	moved                           = 1_000 // memberships
)

// measurer is who delivers.
var measurer = operator.Actor{Name: "measure", Role: operator.Admin}

// delivered measures what a delivery to a database costs: many memberships at once, and one from the
// commit to the database.
func (b *bench) delivered() error {
	dir, err := os.MkdirTemp("", "gatemap-measure-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	own := dir + "/postgres"
	if err := os.Mkdir(own, 0o755); err != nil {
		return err
	}
	server, err := database.Start(own)
	if err != nil {
		return err
	}
	defer server.Stop()
	if err := deliveredDatabase(server); err != nil {
		return err
	}
	s, err := workspace.Open(context.Background(), dir+"/data", slog.New(slog.DiscardHandler), workspace.Options{})
	if err != nil {
		return err
	}
	defer s.Close()
	if err := deliveredMap(s, server.Address, 0, "by-hand"); err != nil {
		return err
	}
	if _, err := deliver(s); err != nil {
		return err
	}
	if err := deliveredMap(s, server.Address, moved, "by-hand"); err != nil {
		return err
	}
	many, err := deliver(s)
	if err != nil {
		return err
	}
	again, err := s.Deliveries.Run(context.Background(), measurer, "frames", answer.DeliveryAsked{})
	if err != nil {
		return err
	}
	one, err := fromCommit(s, server)
	if err != nil {
		return err
	}
	b.rows = append(
		b.rows,
		row{
			work: fmt.Sprintf(
				"a delivery of 1,000 changed memberships to PostgreSQL, from looking at it to having read it again; "+
					"a second one has %d statements",
				again.Statements,
			),
			own:      many,
			baseline: "5 s",
			other:    5 * time.Second,
			least:    1,
		},
		row{
			work:     "a membership from the commit to the database, at a system that is delivered to at every commit",
			own:      one,
			baseline: "1 s",
			other:    time.Second,
			least:    1,
		},
	)
	return nil
}

func deliveredDatabase(server *database.Server) error {
	if err := os.Setenv("GATEMAP_SECRET_FRAMES", database.Secret); err != nil {
		return err
	}
	if err := server.Run("postgres", "CREATE DATABASE frames"); err != nil {
		return err
	}
	tables := []string{"DROP SCHEMA public", "REVOKE ALL ON DATABASE frames FROM PUBLIC", "CREATE SCHEMA sky"}
	for t := range 100 {
		tables = append(tables, fmt.Sprintf("CREATE TABLE sky.t%03d ()", t))
	}
	return server.Run("frames", strings.Join(tables, ";"))
}

// deliveredMap puts a map in force in which some memberships are others.
func deliveredMap(s *workspace.Service, address string, others int, deliver string) error {
	var people, groups strings.Builder
	in := make([][]string, deliveredGroups)
	for u := range deliveredUsers {
		named := fmt.Sprintf("u%04d", u)
		fmt.Fprintf(&people, "  - {userName: %s}\n", named)
		for i := range 5 {
			g := (u + i) % deliveredGroups
			if i == 0 && u < others/2 { // one goes, and one comes
				g = (u + 10) % deliveredGroups
			}
			in[g] = append(in[g], named)
		}
	}
	for g := range in {
		fmt.Fprintf(&groups, "  - {name: g%02d, members: {users: [%s]}}\n", g, strings.Join(in[g], ", "))
	}
	var named []string
	for g := range in {
		named = append(named, fmt.Sprintf("g%02d", g))
	}
	f, err := content.ReadFS(fstest.MapFS{
		"gatemap.yaml": {Data: []byte("title: Cindervale Observatory\n")},
		"people.yaml":  {Data: []byte("directory: cindervale\nusers:\n" + people.String() + "groups:\n" + groups.String())},
		"frames.yaml": {Data: fmt.Appendf(nil, `system: frames
type: roles
directory: cindervale
link:
  postgres: {address: %q, database: frames, user: %s, secret: {env: GATEMAP_SECRET_FRAMES}}
  names: {groups: "gm_{name}"}
  ignore: {accounts: [keeper, gatemap]}
  deliver: %s
  removal_limit: 100%%
rights: ["database:connect", "schema:usage", "table:select"]
resources: [{path: /}]
roles: {reader: {rights: ["*"]}}
mappings:
  - {groups: [%s], role: reader, object: /}
`, address, database.Admin, deliver, strings.Join(named, ", "))},
	})
	if err != nil {
		return err
	}
	_, err = s.Folders.Commit(context.Background(), f, "measure", "a map")
	return err
}

// deliver runs a delivery and commits it, and says how long that took.
func deliver(s *workspace.Service) (time.Duration, error) {
	began := time.Now()
	d, err := s.Deliveries.Run(context.Background(), measurer, "frames", answer.DeliveryAsked{})
	if err != nil {
		return 0, err
	}
	if d, err = s.Deliveries.Commit(context.Background(), measurer, d.ID, true, time.Hour); err == nil &&
		(d.State != answer.DeliveryArrived || d.Excess+d.Short > 0) {
		err = fmt.Errorf("the delivery did not arrive: %+v", d)
	}
	return time.Since(began), err
}

// fromCommit is how long it takes until a membership that was committed is in the database.
func fromCommit(s *workspace.Service, server *database.Server) (time.Duration, error) {
	ctx := context.Background()
	if err := deliveredMap(s, server.Address, moved, "on-commit"); err != nil {
		return 0, err
	}
	s.Deliveries.Follow()
	time.Sleep(5 * time.Second) // what it delivers at the start
	conn, err := server.Connect(ctx, database.Admin, "frames")
	if err != nil {
		return 0, err
	}
	defer conn.Close(ctx)
	if _, err := s.Trials.Begin(ctx, measurer, "one", ""); err != nil {
		return 0, err
	}
	t, err := s.Trials.Stage(ctx, measurer, "one", 0, []stage.Change{{Do: stage.Join, Group: "g19", Member: "u0003"}})
	if err != nil {
		return 0, err
	}
	began := time.Now()
	if _, err := s.Commits.Commit(ctx, measurer, "one",
		changeset.Committing{Version: t.Version, Reason: "one"}); err != nil {
		return 0, err
	}
	for is := false; !is; {
		if err := conn.QueryRow(ctx, "SELECT pg_has_role('u0003', 'gm_g19', 'MEMBER')").Scan(&is); err != nil {
			return 0, err
		}
		if time.Since(began) > time.Minute {
			return 0, fmt.Errorf("the membership does not arrive")
		}
	}
	return time.Since(began), nil
}

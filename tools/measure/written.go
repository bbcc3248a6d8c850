package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"testing/fstest"
	"time"

	"gatemap/connect"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/content"
	"gatemap/service/intake"
	"gatemap/stage"
	"gatemap/tools/slapd"
	"gatemap/workspace"
)

// What is in the directory server that is written in the measurement.
const (
	writtenUsers  = 2_000
	writtenGroups = 100 // of 20 each
)

// written measures what a commit costs that writes to a directory server: 1,000 memberships in 100
// groups, and one.
func (b *bench) written() error {
	dir, err := os.MkdirTemp("", "gatemap-measure-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	s, stop, err := writtenService(dir)
	if err != nil {
		return err
	}
	defer stop()
	var many []stage.Change
	for g := range writtenGroups {
		group := fmt.Sprintf("g%02d", g)
		for i := range 5 { // five go, and five come
			many = append(many, stage.Change{Do: stage.Leave, Group: group, Member: fmt.Sprintf("u%04d", g*20+i)},
				stage.Change{Do: stage.Join, Group: group, Member: fmt.Sprintf("u%04d", (g*20+20+i)%writtenUsers)})
		}
	}
	all, err := committed(s, "many", many)
	if err != nil {
		return err
	}
	one, err := committed(s, "one", []stage.Change{{Do: stage.Join, Group: "g00", Member: "u1000"}})
	if err != nil {
		return err
	}
	b.rows = append(
		b.rows,
		row{
			work: "a commit of 1,000 changed memberships in 100 groups, from asking for it to having them in the " +
				"directory server (slapd) and in force",
			own:      all,
			baseline: "10 s",
			other:    10 * time.Second,
			least:    1,
		},
		row{
			work:     "a commit of one membership, to having it in the directory server and in force",
			own:      one,
			baseline: "1 s",
			other:    time.Second,
			least:    1,
		},
	)
	return nil
}

// writtenService is a service whose directory is on a server of this machine, which has been read.
func writtenService(dir string) (s *workspace.Service, stop func(), err error) {
	var b strings.Builder
	for _, ou := range []string{"people", "groups"} {
		fmt.Fprintf(&b, "dn: ou=%s,%s\nobjectClass: organizationalUnit\nou: %s\n\n", ou, slapd.Suffix, ou)
	}
	for u := range writtenUsers {
		fmt.Fprintf(
			&b,
			"dn: uid=u%04d,ou=people,%s\nobjectClass: inetOrgPerson\nuid: u%04d\ncn: x\nsn: x\n\n",
			u,
			slapd.Suffix,
			u,
		)
	}
	for g := range writtenGroups {
		fmt.Fprintf(&b, "dn: cn=g%02d,ou=groups,%s\nobjectClass: groupOfNames\ncn: g%02d\n", g, slapd.Suffix, g)
		for i := range 20 {
			fmt.Fprintf(&b, "member: uid=u%04d,ou=people,%s\n", g*20+i, slapd.Suffix)
		}
		b.WriteString("\n")
	}
	if err := os.Mkdir(dir+"/slapd", 0o700); err != nil {
		return nil, nil, err
	}
	server, err := slapd.Start(dir+"/slapd", b.String(), nil, []string{"127.0.0.1"})
	if err != nil {
		return nil, nil, err
	}
	if s, err = workspace.Open(context.Background(), dir+"/data", slog.New(slog.DiscardHandler),
		workspace.Options{}); err != nil {
		server.Stop()
		return nil, nil, err
	}
	stop = func() {
		_ = s.Close()
		server.Stop()
	}
	if err := takeIn(s, server.LDAP); err != nil {
		stop()
		return nil, nil, err
	}
	return s, stop, nil
}

// takeIn puts a map in force whose directory is on a server, with what is there.
func takeIn(s *workspace.Service, address string) error {
	if err := os.Setenv("GATEMAP_SECRET_DIRECTORY", slapd.Secret); err != nil {
		return err
	}
	s.Allow(connect.Host{})
	f, err := content.ReadFS(fstest.MapFS{
		"gatemap.yaml": {Data: []byte("title: Cindervale Observatory\n")},
		"people.yaml": {Data: fmt.Appendf(nil, `directory: people
source:
  ldap: {servers: ["%s"], bind: "%s", secret: {env: GATEMAP_SECRET_DIRECTORY}}
  write: [members]
  users: {filter: (objectClass=inetOrgPerson), name: uid, attributes: {}}
  groups: {filter: (objectClass=groupOfNames), name: cn, members: [member]}
`, address, slapd.Admin)},
	})
	if err != nil {
		return err
	}
	if _, err = s.Folders.Commit(context.Background(), f, measurer.Name, "the map"); err != nil {
		return err
	}
	events := s.Events.Listen(context.Background())
	if _, err = s.Runs.Start(context.Background(), "people", intake.ByHand,
		intake.Intaking{Commit: true, By: measurer}); err != nil {
		return err
	}
	for e := range events {
		if e.Revision > 1 {
			break
		}
	}
	return nil
}

// committed is how long the commit of a trial takes.
func committed(s *workspace.Service, named string, changes []stage.Change) (time.Duration, error) {
	ctx := operator.With(context.Background(), measurer)
	if _, err := s.Trials.Begin(ctx, measurer, named, ""); err != nil {
		return 0, err
	}
	t, err := s.Trials.Stage(ctx, measurer, named, 0, changes)
	if err != nil {
		return 0, err
	}
	began := time.Now()
	_, err = s.Commits.Commit(ctx, measurer, named, changeset.Committing{Version: t.Version, Reason: named})
	return time.Since(began), err
}

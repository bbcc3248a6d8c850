// Command demolinked starts the demo with real systems of its own that systems of the map are linked
// to, in which some things are not as the map says: a PostgreSQL server, and as root two hosts with
// sshd and sudo. The people are in a directory server.
package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/demo"
	"gatemap/service/query"
	"gatemap/tools/database"
	"gatemap/tools/demopeople"
	"gatemap/tools/machine"
	"gatemap/tools/serving"
	"gatemap/tools/slapd"
	"gatemap/workspace"
)

// secret is the variable that holds the password of the role that reads.
const secret = "GATEMAP_SECRET_FRAMES"

func main() {
	serving.Main(func(ctx context.Context, dir string) (b serving.Beside, err error) {
		l, err := start(ctx, dir)
		if err != nil {
			return b, err
		}
		host, port, _ := strings.Cut(l.server.Address, ":")
		says := fmt.Sprintf("Directory server: %s\nDatabase server: %s, database frames\n", l.people.LDAP, l.server.Address)
		for _, m := range l.machines {
			says += fmt.Sprintf("Host: %s at %s\n", m.Name, m.Address)
		}
		says += fmt.Sprintf("\nSign in at the address below with the token, and open /drift.\n"+
			"Then give somebody more than the map says in another terminal, and read it again:\n\n"+
			"PGPASSWORD=%s psql -h %s -p %s -U %s frames -c 'GRANT \"gm_night-crew\" TO \"cleo.vantongeren\"'\n\n",
			database.Secret, host, port, database.Admin)
		args := []string{"--map", l.folder, "--allow-files", l.folder, "--data", filepath.Join(dir, "data")}
		return serving.Beside{Says: says, Args: args, Env: l.secrets(), Stop: l.stop}, nil
	})
}

// linked is the demo's map with linked systems, and these.
type linked struct {
	folder   string
	people   *slapd.Server
	server   *database.Server
	machines []*machine.Machine
}

func (l *linked) secrets() []string {
	list := []string{secret + "=" + database.Secret, demopeople.Secret}
	if len(l.machines) > 0 {
		list = append(list, keyOfDomes+"="+l.machines[0].Secret)
	}
	return list
}

func (l *linked) stop() {
	for _, m := range l.machines {
		m.Stop()
	}
	if l.server != nil {
		l.server.Stop()
	}
	if l.people != nil {
		l.people.Stop()
	}
}

// start makes the demo's map with linked systems, and starts those. Hosts need root.
func start(ctx context.Context, dir string) (l *linked, err error) {
	l = &linked{folder: filepath.Join(dir, "map")}
	defer func(started *linked) {
		if err != nil {
			started.stop()
		}
	}(l)
	if err := os.CopyFS(l.folder, demo.Map()); err != nil {
		return nil, err
	}
	files, err := connect.OpenFolder(l.folder)
	if err != nil {
		return nil, err
	}
	head, err := workspace.ReadFolder(ctx, l.folder, connect.Host{Files: files})
	if err != nil {
		return nil, err
	}
	if l.people, err = demopeople.Move(dir, l.folder, ""); err != nil {
		return nil, err
	}
	own := filepath.Join(dir, "postgres")
	if err := os.Mkdir(own, 0o755); err != nil {
		return nil, err
	}
	if l.server, err = database.Start(own); err != nil {
		return nil, err
	}
	if err := os.WriteFile(filepath.Join(l.folder, "systems", "frame-index.yaml"),
		fmt.Appendf(nil, document, l.server.Address, secret), 0o600); err != nil {
		return nil, err
	}
	if err := fill(ctx, head, l.server); err != nil {
		return nil, err
	}
	if os.Geteuid() != 0 {
		fmt.Fprintln(os.Stderr, "Hosts of its own need root: dome-hosts is not linked.")
		return l, nil
	}
	l.machines, err = startDomes(ctx, dir, l.folder, head)
	return l, err
}

const document = `system: frame-index
type: roles
directory: cindervale
title: The index of all frames
link:
  postgres: {address: "%s", database: frames, user: gatemap, secret: {env: %s}}
  names: {groups: "gm_{name}"}
  ignore: {accounts: [keeper, gatemap], groups: ["pg_*", frames_owner]}
  every: 15m

rights: ["database:connect", "schema:usage", "table:select", "table:insert", "table:update", "table:delete"]
resources:
  - {path: /, tags: {kind: database}}
  - {path: /sky, tags: {kind: schema}}
  - {path: /sky/exposures, tags: {kind: table}}
  - {path: /sky/objects, tags: {kind: table}}
roles:
  visitor: {rights: ["database:connect"]}
  reader: {rights: ["schema:usage", "table:select"]}
  writer: {includes: [reader], rights: ["table:insert", "table:update"]}
mappings:
  - {groups: [archive-readers, night-crew], role: visitor, object: /, where: {kind: database}}
  - {groups: [archive-readers], role: reader, object: /sky}
  - {groups: [night-crew], role: writer, object: /sky}
  - {groups: [archivists], role: writer, object: /sky/objects}
`

// groups are those that the system names, with what they are granted in the database. The night
// crew is granted too little.
var groups = map[string][]string{
	"archive-readers": {"CONNECT ON DATABASE frames", "USAGE ON SCHEMA sky", "SELECT ON sky.exposures, sky.objects"},
	"night-crew": {
		"CONNECT ON DATABASE frames",
		"USAGE ON SCHEMA sky",
		"SELECT, INSERT, UPDATE ON sky.exposures",
		"SELECT, INSERT ON sky.objects",
	},
	"archivists": {"INSERT, UPDATE, SELECT ON sky.objects"},
}

// besides is what the database has and the map does not know of.
const besides = `
CREATE ROLE legacy_admins;
GRANT DELETE ON sky.exposures TO legacy_admins;
GRANT legacy_admins TO "teo.marchetti", "wren.halloran";
GRANT "gm_night-crew" TO "vic.aldaine";
REVOKE "gm_archivists" FROM "thea.ondracek";
GRANT DELETE ON sky.objects TO "joss.ferrant";
CREATE ROLE field_station LOGIN;
GRANT "gm_archive-readers" TO field_station;
CREATE ROLE "noor.haddix" LOGIN;
GRANT "gm_archive-readers" TO "noor.haddix";
ALTER ROLE "bram.ystad" CONNECTION LIMIT 0;
`

// fill makes the database as the map has it, and then some things otherwise.
func fill(ctx context.Context, head *query.Head, server *database.Server) error {
	if err := server.Run("postgres", "CREATE DATABASE frames"); err != nil {
		return err
	}
	statements, err := asItShouldBe(ctx, head)
	if err != nil {
		return err
	}
	return server.Run("frames", statements+besides)
}

func asItShouldBe(ctx context.Context, head *query.Head) (string, error) {
	out := []string{
		"REVOKE ALL ON DATABASE frames FROM PUBLIC", "REVOKE ALL ON SCHEMA public FROM PUBLIC",
		"GRANT CONNECT ON DATABASE frames TO " + database.Reader,
		"CREATE ROLE frames_owner", "GRANT frames_owner TO " + database.Reader,
		"ALTER ROLE " + database.Reader + " CREATEROLE", "ALTER DATABASE frames OWNER TO frames_owner",
		"CREATE SCHEMA sky", "CREATE TABLE sky.exposures (id int, taken timestamptz)",
		"CREATE TABLE sky.objects (id int, ra float, dec float)",
	}
	var logins []string
	for _, group := range []string{"archive-readers", "archivists", "night-crew"} {
		members, err := head.Members(ctx, group)
		if err != nil {
			return "", err
		}
		out = append(out, fmt.Sprintf(`CREATE ROLE "gm_%s"`, group))
		for _, grant := range groups[group] {
			out = append(out, fmt.Sprintf(`GRANT %s TO "gm_%s"`, grant, group))
		}
		for _, m := range members.Members {
			_, user, _ := strings.Cut(m.User, "/")
			if record, err := head.User(m.User); err != nil || !record.Active {
				continue // who is inactive has no login
			}
			if !slices.Contains(logins, user) {
				logins = append(logins, user)
				out = append(out, fmt.Sprintf(`CREATE ROLE "%s" LOGIN`, user))
			}
			out = append(out, fmt.Sprintf(`GRANT "gm_%s" TO "%s"`, group, user))
		}
	}
	out = append(
		out,
		"ALTER SCHEMA sky OWNER TO frames_owner",
		"ALTER TABLE sky.exposures OWNER TO frames_owner",
		"ALTER TABLE sky.objects OWNER TO frames_owner",
	)
	return strings.Join(out, ";\n") + ";\n", nil
}

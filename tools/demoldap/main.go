// Command demoldap starts the demo with its people in a directory server on this
// machine instead of in a file, and streams what is changed there.
package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"gatemap/demo"
	"gatemap/tools/serving"
	"gatemap/tools/slapd"
)

func main() {
	serving.Main(func(_ context.Context, dir string) (b serving.Beside, err error) {
		server, err := start(dir)
		if err != nil {
			return b, err
		}
		says := fmt.Sprintf("Directory server: %s\n\nSign in at the address below with the token, and open /people/cindervale/ilse.okonjo.\n"+
			"Then make her an astronomer in another terminal, and watch the page:\n\n"+
			"ldapmodify -x -H %s -D %s -w %s <<END\ndn: uid=ilse.okonjo,ou=people,%s\nchangetype: modify\nreplace: title\ntitle: Support astronomer\nEND\n\n",
			server.LDAP, server.LDAP, slapd.Admin, slapd.Secret, slapd.Suffix)
		args := []string{"--map", filepath.Join(dir, "map"), "--data", filepath.Join(dir, "database")}
		return serving.Beside{Says: says, Args: args, Env: []string{"GATEMAP_SECRET_DIRECTORY=" + slapd.Secret}, Stop: server.Stop}, nil
	})
}

// start puts the demo's people into a directory server, and the demo's map beside
// it, without them and without what the personnel office says of them.
func start(dir string) (*slapd.Server, error) {
	folder := filepath.Join(dir, "map")
	if err := os.CopyFS(folder, demo.Map()); err != nil {
		return nil, err
	}
	people, err := fs.ReadFile(demo.Map(), "people.ldif")
	if err != nil {
		return nil, err
	}
	own := filepath.Join(dir, "slapd")
	if err := os.Mkdir(own, 0o700); err != nil {
		return nil, err
	}
	server, err := slapd.Start(own, string(people), []string{filepath.Join(folder, "cindervale.schema")}, []string{"127.0.0.1"})
	if err != nil {
		return nil, err
	}
	ca, err := os.ReadFile(server.Path("ca.pem"))
	if err == nil {
		err = os.WriteFile(filepath.Join(folder, "ca.pem"), ca, 0o600)
	}
	document := filepath.Join(folder, "directories", "cindervale.yaml")
	written, readErr := os.ReadFile(document)
	source := fmt.Sprintf(`  ldap:
    servers: ["%s"]
    starttls: true
    ca: ca.pem
    bind: %s
    secret: {env: GATEMAP_SECRET_DIRECTORY}
  follow: stream`, server.LDAP, slapd.Admin)
	const file = "  ldif: people.ldif"
	if readErr == nil && !strings.Contains(string(written), file) {
		readErr = fmt.Errorf("%s no longer reads people.ldif", document)
	}
	err = errors.Join(err, readErr, os.WriteFile(document, []byte(strings.Replace(string(written), file, source, 1)), 0o600),
		os.Remove(filepath.Join(folder, "people.ldif")), os.Remove(filepath.Join(folder, "directories", "personnel.yaml")))
	if err != nil {
		server.Stop()
	}
	return server, err
}

// Package demopeople puts the people of the demo's map into a directory server on this machine, for
// demos that show one.
package demopeople

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"gatemap/tools/slapd"
)

// Secret is the variable from which the map takes the secret of the server, as NAME=VALUE.
const Secret = "GATEMAP_SECRET_DIRECTORY=" + slapd.Secret

// Move starts a server in a new folder below dir with the people of a map folder, which is the demo's,
// and lets the map follow it instead of the file; more are further keys of the source.
func Move(dir, folder, more string) (server *slapd.Server, err error) {
	file, document := filepath.Join(folder, "people.ldif"), filepath.Join(folder, "directories", "cindervale.yaml")
	people, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	written, err := os.ReadFile(document)
	if err != nil {
		return nil, err
	}
	const source = "  ldif: people.ldif"
	if !strings.Contains(string(written), source) {
		return nil, fmt.Errorf("%s no longer reads people.ldif", document)
	}
	own := filepath.Join(dir, "slapd")
	if err := os.Mkdir(own, 0o700); err != nil {
		return nil, err
	}
	if server, err = slapd.Start(own, string(people), []string{filepath.Join(folder, "cindervale.schema")},
		[]string{"127.0.0.1"}); err != nil {
		return nil, err
	}
	ca, err := os.ReadFile(server.Path("ca.pem"))
	followed := fmt.Sprintf(`  ldap:
    servers: ["%s"]
    starttls: true
    ca: ca.pem
    bind: %s
    secret: {env: GATEMAP_SECRET_DIRECTORY}
  follow: stream%s`, server.LDAP, slapd.Admin, more)
	err = errors.Join(err, os.WriteFile(filepath.Join(folder, "ca.pem"), ca, 0o600),
		os.WriteFile(document, []byte(strings.Replace(string(written), source, followed, 1)), 0o600), os.Remove(file))
	if err != nil {
		server.Stop()
	}
	return server, err
}

// Command demoldap starts the demo with its people in a directory server on this
// machine instead of in a file, and streams what is changed there.
package main

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"

	"gatemap/demo"
	"gatemap/tools/slapd"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, "bin/gatemap", os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// run starts both, and waits until it is told to stop.
func run(ctx context.Context, gatemap string, args []string) error {
	dir, err := os.MkdirTemp("", "gatemap-demo")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	server, err := start(dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	fmt.Printf("Directory server: %s\n\nSign in at the address below with the token, and open /people/cindervale/ilse.okonjo.\nThen make her an astronomer in another terminal, and watch the page:\n\n", server.LDAP)
	fmt.Printf("ldapmodify -x -H %s -D %s -w %s <<END\ndn: uid=ilse.okonjo,ou=people,%s\nchangetype: modify\nreplace: title\ntitle: Support astronomer\nEND\n\n",
		server.LDAP, slapd.Admin, slapd.Secret, slapd.Suffix)
	cmd := exec.CommandContext(ctx, gatemap, append([]string{"serve", "--map", filepath.Join(dir, "map"), "--data", filepath.Join(dir, "database")}, args...)...)
	cmd.Env = append(os.Environ(), "GATEMAP_SECRET_DIRECTORY="+slapd.Secret)
	cmd.Stdout, cmd.Stderr = os.Stdout, os.Stderr
	cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
	if err := cmd.Run(); err != nil && !errors.Is(ctx.Err(), context.Canceled) {
		return err
	}
	return nil
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

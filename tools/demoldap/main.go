// Command demoldap starts the demo with its people in a directory server on this
// machine instead of in a file, and streams what is changed there.
package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"gatemap/demo"
	"gatemap/tools/demopeople"
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
			"ldapmodify -x -H %s -D %s -w %s <<END\ndn: uid=ilse.okonjo,ou=people,%s\nchangetype: modify\nreplace: title\ntitle: Support astronomer\nEND\n\n"+
			"What you change is written to it: stage a change of hers in a trial, see what it writes with gatemap trial writes, and commit it.\n\n",
			server.LDAP, server.LDAP, slapd.Admin, slapd.Secret, slapd.Suffix)
		args := []string{"--map", filepath.Join(dir, "map"), "--data", filepath.Join(dir, "database")}
		return serving.Beside{Says: says, Args: args, Env: []string{demopeople.Secret}, Stop: server.Stop}, nil
	})
}

// start puts the demo's people into a directory server, and the demo's map beside
// it, without them and without what the personnel office says of them.
func start(dir string) (*slapd.Server, error) {
	folder := filepath.Join(dir, "map")
	if err := os.CopyFS(folder, demo.Map()); err != nil {
		return nil, err
	}
	if err := os.Remove(filepath.Join(folder, "directories", "personnel.yaml")); err != nil {
		return nil, err
	}
	return demopeople.Move(dir, folder, "\n  write: [members, attributes, active]")
}

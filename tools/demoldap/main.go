// Command demoldap starts the demo with its people in a directory server on this
// machine instead of in a file, and streams what is changed there.
package main

import (
	"context"
	"errors"
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
		says := fmt.Sprintf(
			"Directory server: %s\n\nSign in at the address below with the token, and open /people/cindervale/ilse.okonjo.\n"+
				"Then make her an astronomer in another terminal, and watch the page:\n\n"+
				"ldapmodify -x -H %s -D %s -w %s <<END\ndn: uid=ilse.okonjo,ou=people,%s\nchangetype: modify\nreplace: title\n"+
				"title: Support astronomer\nEND\n\n"+
				"What you change is written to it: stage a change of hers in a trial, "+
				"see what it writes with gatemap trial writes, and commit it.\n"+
				"Who begins and who leaves is in starters.csv: see what becomes of their accounts with gatemap accounts "+
				"cindervale.\n\n",
			server.LDAP,
			server.LDAP,
			slapd.Admin,
			slapd.Secret,
			slapd.Suffix,
		)
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
	directories := filepath.Join(folder, "directories")
	err := errors.Join(os.Remove(filepath.Join(directories, "personnel.yaml")),
		os.WriteFile(filepath.Join(directories, "starters.yaml"), []byte(starters), 0o600),
		os.WriteFile(filepath.Join(folder, "starters.csv"), []byte(list), 0o600))
	if err != nil {
		return nil, err
	}
	return demopeople.Move(dir, folder, written)
}

// written is what is written to the server, and what new accounts are to be.
const written = `
  write: [members, attributes, active, users]
  accounts:
    place: ou=people,dc=cindervale,dc=example
    name: "{name.givenName}.{name.familyName}"
    numbers: 20000-20999
    attributes:
      displayName: "{name.givenName} {name.familyName}"
      emails: "{userName}@cindervale.example"
    entry:
      objectClass: [inetOrgPerson, observatoryAccount]`

// starters is the directory of those who begin, and list who they are: a namesake of someone, and
// someone whose time is over.
const starters = `directory: starters
title: Who begins at the observatory, and who leaves
source:
  csv: {file: starters.csv, delimiter: ";"}
  vanished: deactivate
  feeds: {directory: cindervale, by: employeeNumber, decides: [title]}
  users:
    name: Number
    expires: Ends
    attributes:
      employeeNumber: Number
      name.givenName: Given
      name.familyName: Family
      title: Position
      department: Unit
      addresses.locality: Place
`

const list = `Number;Given;Family;Position;Unit;Place;Ends
E5003;Bram;Ystad;Night assistant;Operations;Summit;2026-11-01T00:00:00Z
E5101;Žofie;Õunap;Support astronomer;Science;Base;
E5102;Noor;Haddix;Night assistant;Operations;Summit;
`

package workspace_test

import (
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/require"

	"gatemap/service/content"
	"gatemap/tools/slapd"
	"gatemap/workspace"
)

// BenchmarkStreamingDelay is how long it takes from a title that is changed in a
// directory of 5,000 people to the answer that follows from it.
func BenchmarkStreamingDelay(b *testing.B) {
	var entries strings.Builder
	fmt.Fprintf(&entries, "dn: ou=people,%s\nobjectClass: organizationalUnit\nou: people\n\n", slapd.Suffix)
	for i := range 5000 {
		fmt.Fprintf(
			&entries,
			"dn: uid=p%d,ou=people,%s\nobjectClass: inetOrgPerson\nuid: p%d\ncn: p\nsn: p\ntitle: Observer\n\n",
			i,
			slapd.Suffix,
			i,
		)
	}
	server, err := slapd.Start(b.TempDir(), entries.String(), nil, []string{"127.0.0.1"})
	require.NoError(b, err)
	b.Cleanup(server.Stop)
	dir := b.TempDir()
	for name, content := range map[string]string{
		"gatemap.yaml": "title: Cindervale\n",
		"cindervale.yaml": "directory: cindervale\nsource:\n  ldap: {servers: [\"" + server.LDAP + "\"]}\n  table: open-schemas\n  follow: stream\n" +
			"groups: [{name: astronomers, rule: 'title eq \"Astronomer\"'}]\n",
	} {
		require.NoError(b, os.WriteFile(filepath.Join(dir, name), []byte(content), 0o600))
	}
	s, err := workspace.Open(b.Context(), b.TempDir(), slog.New(slog.NewTextHandler(io.Discard, nil)), workspace.Options{})
	require.NoError(b, err)
	b.Cleanup(func() { _ = s.Close() })
	folder, err := content.ReadFolder(dir)
	require.NoError(b, err)
	_, err = s.Folders.Commit(b.Context(), folder, "test", "test")
	require.NoError(b, err)
	events := s.Events.Listen(b.Context())
	revision := func() {
		for e := range events {
			if e.Revision > 0 {
				return
			}
		}
	}
	s.Follower.Follow()
	revision()
	conn, err := ldap.DialURL(server.LDAP)
	require.NoError(b, err)
	defer conn.Close()
	require.NoError(b, conn.Bind(slapd.Admin, slapd.Secret))
	titles := []string{"Astronomer", "Observer"}
	for i := 0; b.Loop(); i++ {
		change := ldap.NewModifyRequest("uid=p7,ou=people,"+slapd.Suffix, nil)
		change.Replace("title", titles[i%2:i%2+1])
		require.NoError(b, conn.Modify(change))
		revision()
		m, err := s.Head().Members(b.Context(), "astronomers")
		require.NoError(b, err)
		if len(m.Members) != (i+1)%2 {
			b.Fatalf("after change %d the group has %d members", i+1, len(m.Members))
		}
	}
}

package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/tools/slapd"
)

// From an empty folder to the first explained answer on a directory server that nobody described, as
// README tells it: what is shown there is what the commands print.
func TestTheFirstMile(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_DIRECTORY", slapd.Secret)
	people, err := os.ReadFile("../demo/cindervale/people.ldif")
	require.NoError(t, err)
	schema, err := filepath.Abs("../demo/cindervale/cindervale.schema")
	require.NoError(t, err)
	server, err := slapd.Start(t.TempDir(), string(people), []string{schema}, []string{"127.0.0.1"})
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	files := t.TempDir()
	ca, err := os.ReadFile(server.Path("ca.pem"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(files, "ca.pem"), ca, 0o600))

	p := startService(t, "--data", filepath.Join(t.TempDir(), "data"), "--allow-files", files, "--listen", "127.0.0.1:0")

	readme, err := os.ReadFile("../README.md")
	require.NoError(t, err)
	_, section, found := strings.Cut(string(readme), "## Your own directory\n")
	require.True(t, found)
	section, _, _ = strings.Cut(section, "\n## ")
	asked := 0
	for i, block := range strings.Split(section, "\n```") {
		if i%2 == 0 {
			continue
		}
		for _, part := range strings.Split(block, "\n$ gatemap ")[1:] {
			command, shown, _ := strings.Cut(part, "\n")
			args := words(strings.ReplaceAll(command, "ldaps://dir1.cindervale.example", server.TLS))
			if args[0] == "serve" {
				continue
			}
			asked++
			want := strings.Split(strings.TrimRight(shown, "\n"), "\n")
			var got []string
			// What is there comes in by itself, in a moment.
			assert.Eventually(t, func() bool {
				out, errs, _ := run(t, p.env(), args...)
				got = strings.Split(
					strings.TrimRight(strings.ReplaceAll(out+errs, server.TLS, "ldaps://dir1.cindervale.example"), "\n"),
					"\n",
				)
				return args[0] != "memberships" || matches(want, got)
			}, 20*time.Second, 200*time.Millisecond)
			assert.True(
				t,
				matches(want, got),
				"$ gatemap %s shows\n%s\nand prints\n%s",
				command,
				strings.Join(want, "\n"),
				strings.Join(got, "\n"),
			)
		}
	}
	assert.Equal(t, 4, asked)
}

package cli_test

import (
	"bytes"
	"flag"
	"log/slog"
	"net/http/httptest"
	"os"
	"os/user"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/cli"
	"gatemap/connect"
	"gatemap/server"
	"gatemap/service/content"
	"gatemap/workspace"
)

var update = flag.Bool("update", false, "write what the commands print anew")

// onFolder and onService are commands with the name of the file that holds what they print. They
// are run one after the other.
var (
	onFolder = []string{
		"reach ilse.okonjo --from 198.51.100.9 --at 2026-11-24T22:00:00Z",
		"reach ilse.okonjo --system core-net -o csv",
		"why ilse.okonjo archive frames:write --on /raw/2026",
		"why noor.haddix sky-tools pipeline --on reduction-suite",
		"why ilse.okonjo core-net ping --on control --lines",
		"who archive frames:purge --on /raw",
		"members night-crew",
		"memberships ilse.okonjo",
		"compare ilse.okonjo teo.marchetti",
		"matrix --group night-crew --right frames:*",
		"hours ilse.okonjo --system archive --at 2026-11-24T22:00:00Z",
		"search okonjo",
		"group show night-crew",
		"system show core-net",
		"system lines core-net",
		"system roles archive",
		"rule test 'title eq \"Night assistant\"'",
		"findings --severity error",
		"guarantees",
		"trial begin season --note 'The visitors leave'",
		"trial line off season core-net rules 'nobody pings'",
		"trial leave season night-assistants ilse.okonjo",
		"trial list",
		"trial show season",
		"trial outcome season",
		"trial outcome season -o csv",
		"trial join season night-assistants teo.marchetti --dry-run",
		"reach ilse.okonjo --system archive --trial season",
		"trial unstage season 2",
		"trial commit season --version 4 --reason 'They may ping' --override 'agreed'",
		"trial list",
		"system lines core-net",
	}
	onService = []string{
		"directory list",
		"directory test personnel",
		"history",
		"trial begin season",
		"trial line off season core-net rules 'nobody pings'",
		"trial commit season --version 2 --reason 'They may ping' --override 'agreed'",
		"history 2",
		"revert 2",
		"trial outcome revert-2",
		"intake list",
		"operator set edda --role editor",
		"operator list",
		"operator two-person-rule on",
		"token create nightly --role viewer --service",
		"token list",
		"token revoke nightly",
		"audit list",
		"audit verify",
		"trial show nowhere",
	}
)

// What every command prints on the demo is what it printed when that was looked at last.
func TestWhatCommandsPrint(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "map")
	require.NoError(t, os.CopyFS(folder, os.DirFS(demo)))
	t.Setenv("GATEMAP_MAP", folder)
	golden(t, "folder", folder, onFolder)
	t.Setenv("GATEMAP_MAP", "")
	quiet := slog.New(slog.DiscardHandler)
	svc, err := workspace.Open(t.Context(), t.TempDir(), quiet, workspace.Options{})
	require.NoError(t, err)
	defer svc.Close()
	svc.Allow(connect.Host{Files: os.DirFS(demo)})
	read, err := content.ReadFolder(demo)
	require.NoError(t, err)
	_, err = svc.Folders.Commit(t.Context(), read, "folder", "the demo")
	require.NoError(t, err)
	token, err := svc.Tokens.First(t.Context())
	require.NoError(t, err)
	h := httptest.NewServer(server.New(svc, fstest.MapFS{}, cli.Version, quiet).Handler())
	defer h.Close()
	t.Setenv("GATEMAP_SERVER", h.URL)
	t.Setenv("GATEMAP_TOKEN", token)
	golden(t, "service", h.URL, onService)
}

// Every command says what it is for, with an example, in the same words as when they were looked
// at last.
func TestTheHelpOfEveryCommand(t *testing.T) {
	var b bytes.Buffer
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		if !c.HasParent() || c.IsAvailableCommand() && c.Name() != "completion" {
			_, out, _ := run(t, append(strings.Fields(c.CommandPath())[1:], "--help")...)
			b.WriteString("$ " + c.CommandPath() + " --help\n" + out + "\n")
			if c.Runnable() {
				assert.NotEmpty(t, c.Example, "%s has an example", c.CommandPath())
			}
			for _, sub := range c.Commands() {
				walk(sub)
			}
		}
	}
	walk(cli.Command())
	compared(t, "help", b.String())
}

// golden runs commands, and compares what all of them print.
func golden(t *testing.T, name, place string, commands []string) {
	t.Helper()
	var b bytes.Buffer
	for _, c := range commands {
		b.WriteString("$ gatemap " + c + "\n")
		code := cli.Main(words(c), strings.NewReader(""), &b, &b)
		if code != 0 {
			b.WriteString("exit " + string(rune('0'+code)) + "\n")
		}
		b.WriteString("\n")
	}
	me, err := user.Current()
	require.NoError(t, err)
	text := strings.NewReplacer(place, "PLACE", "by "+me.Username+",", "by ME,", "by "+me.Username+" ", "by ME ").
		Replace(b.String())
	for _, c := range []struct{ of, to string }{
		{`20\d\d-\d\d-\d\d[ T]\d\d:\d\d:\d\d(\.\d+)?(Z|[+-]\d\d:\d\d)?`, "TIME"}, {`20\d\d-\d\d-\d\d \d\d:\d\d`, "TIME"}, {`gm_[\w-]{20,}`, "TOKEN"}, {`[0-9a-f]{64}`, "HASH"},
	} {
		text = regexp.MustCompile(c.of).ReplaceAllString(text, c.to)
	}
	compared(t, name, text)
}

func compared(t *testing.T, name, text string) {
	t.Helper()
	file := filepath.Join("testdata", name+".golden")
	if *update {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	}
	want, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(want), text, "look at the difference; go test ./cli -run 'Print|Help' -update writes it anew")
}

// words are those of a command as a shell has them.
func words(command string) (list []string) {
	for _, m := range regexp.MustCompile(`'([^']*)'|(\S+)`).FindAllStringSubmatch(command, -1) {
		list = append(list, m[1]+m[2])
	}
	return list
}

package e2e

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
)

// A page that is being looked at follows what comes in from a directory: a title
// that changes opens a gate, and nobody reloads anything.
func TestAPageFollowsAnIntake(t *testing.T) {
	data := t.TempDir()
	demo := startDemo(t, "--data", data)
	p := openBrowser(t, 1280, 800)
	p.do(chromedp.Navigate(demo.address + "/people/cindervale/ilse.okonjo?view=groups#token=" + demo.token))
	p.sees("Ilse Okonjo", "Night assistant · Operations · Summit", "night-crew", "revision 1")
	assert.NotContains(t, p.text(), "astronomers")

	feed := filepath.Join(data, "map", "personnel.csv")
	raw, err := os.ReadFile(feed)
	require.NoError(t, err)
	line := `E5001;"Okonjo, Ilse";Night assistant;`
	require.Contains(t, string(raw), line)
	require.NoError(
		t,
		os.WriteFile(
			feed,
			[]byte(strings.Replace(string(raw), line, strings.Replace(line, "Night assistant", "Support astronomer", 1), 1)),
			0o600,
		),
	)

	preview := asked[answer.Preview](t, demo.env(), "intake", "run", "personnel")
	assert.Equal(t, answer.RunWaiting, preview.Run.State)
	assert.Equal(t, []string{`E5001: title "Night assistant" becomes "Support astronomer"`}, preview.Run.Samples[:1])
	require.NotEmpty(t, preview.Gains)
	assert.Equal(t, "cindervale/ilse.okonjo", preview.Gains[0].User)
	assert.Contains(t, p.text(), "Night assistant · Operations · Summit", "a preview changes nothing")

	committed := asked[answer.Preview](t, demo.env(), "intake", "commit", "1", "--version", "1")
	assert.Equal(t, answer.RunCommitted, committed.Run.State)
	p.sees("Support astronomer · Operations · Summit", "astronomers", "revision 2")
	p.quiet()
	if shots := os.Getenv("GATEMAP_LOOK"); shots != "" {
		require.NoError(t, os.WriteFile(shots, get(p, chromedp.CaptureScreenshot()), 0o600))
	}
}

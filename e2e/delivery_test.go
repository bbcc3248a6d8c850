package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
)

// The page shows what is to be delivered before anything is, and what became of it.
func TestADeliveryInTheConsole(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/deliveries")
	p.sees("sky-tools", "No deliveries yet.")
	p.press("See what is to be delivered")
	p.sees(
		"Delivery 1 to sky-tools: held",
		"Held by the removal limit",
		"Takes away",
		"switch the account noor.haddix off",
		"Gives",
		"open the account liv.castrejon",
		"field-laptop-7 belongs to nobody of the map",
	)
	p.press("Show it as a script")
	p.sees("number,to do,why")
	p.press("Hide the script")
	p.press("Deliver despite the limit")
	p.sees("Delivery 1 to sky-tools: handed out", "not done yet")
	assert.Contains(t, get(p, chromedp.Location()), "delivery=1")
	p.quiet()
}

// The same by commands: what is held asks to be confirmed, and ends with 5.
func TestADeliveryByCommands(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	out, errs, code := run(t, demo.env(), "delivery", "list")
	assert.Equal(t, 0, code, errs)
	assert.Contains(t, out, "No delivery yet. Begin one:  gatemap delivery run SYSTEM")
	script := filepath.Join(t.TempDir(), "todo.csv")
	out, errs, code = run(t, demo.env(), "delivery", "run", "sky-tools", "--script", script)
	assert.Equal(t, 5, code, errs)
	assert.Contains(t, out, "− take Cluster add-on on Reduction Suite from joss.ferrant")
	assert.Contains(t, out, "Commit it:  gatemap delivery commit 1 --confirm")
	written, err := os.ReadFile(script)
	require.NoError(t, err)
	assert.Contains(t, string(written), "number,to do,why")
	_, errs, code = run(t, demo.env(), "delivery", "commit", "1")
	assert.Equal(t, 5, code)
	assert.Contains(t, errs, "delivery 1 to sky-tools is held")
	out, errs, code = run(t, demo.env(), "delivery", "commit", "1", "--confirm", "-o", "json")
	assert.Equal(t, 0, code, errs)
	var d answer.Delivery
	require.NoError(t, json.Unmarshal([]byte(out), &d))
	assert.Equal(t, answer.DeliveryHandedOut, d.State)
	out, errs, code = run(t, demo.env(), "delivery", "show", "1", "-o", "csv")
	assert.Equal(t, 0, code, errs)
	assert.Contains(
		t,
		out,
		"1,sky-tools,,takes,switch the account noor.haddix off,cindervale/noor.haddix is switched off or has ended\n",
	)
	_, errs, code = run(t, demo.env(), "delivery", "run", "archive")
	assert.Equal(t, 5, code)
	assert.Contains(t, errs, "the system archive has no link")
	_, errs, code = run(t, demo.env(), "delivery", "show", "99")
	assert.Equal(t, 4, code)
	assert.Contains(t, errs, "99")
}

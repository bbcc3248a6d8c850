package e2e

import (
	"os"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
)

// drawn waits until the reference of the API shows something.
func (p *page) drawn(want ...string) {
	p.t.Helper()
	const text = `(document.querySelector('rapi-doc')?.shadowRoot?.textContent ?? '')`
	for _, w := range want {
		require.Eventually(
			p.t,
			func() bool { return strings.Contains(get(p, chromedp.Evaluate[string](text)), w) },
			20*time.Second,
			50*time.Millisecond,
			"the reference shows %q",
			w,
		)
	}
}

// The reference of the API is served by the service itself: what each operation is for, with a
// call and its answer. Nothing comes from elsewhere.
func TestTheReferenceOfTheAPI(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := openBrowserFor(t, 1280, 800, time.Minute)
	p.do(chromedp.Navigate(demo.address + "/api"))
	p.sees("Sign in first")
	p.do(chromedp.Navigate(demo.address + "/#token=" + demo.token))
	p.sees("Broken guarantees")
	p.do(chromedp.Navigate(demo.address + "/api"))
	p.drawn(
		"Everything that a user holds",
		"Put a trial in force, as one revision",
		"reach?user=ilse.okonjo",
		"cindervale/ilse.okonjo",
	)
	if dir := os.Getenv("SHOT"); dir != "" {
		_ = os.WriteFile(dir, get(p, chromedp.CaptureScreenshot()), 0o600)
	}
}

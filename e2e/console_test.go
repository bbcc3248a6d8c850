package e2e

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/stage"
)

// page is a tab of a browser, which notes what its console complains of.
type page struct {
	t          testing.TB
	ctx        context.Context
	mu         sync.Mutex
	complaints []string
	expected   []string // parts of complaints that are none
}

func openBrowser(t *testing.T, width, height int64) *page {
	t.Helper()
	return openBrowserFor(t, width, height, 90*time.Second)
}

// profile is a folder for a browser, whose helpers may write there for a moment after its end.
func profile(t testing.TB) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "gatemap-browser-")
	require.NoError(t, err)
	t.Cleanup(func() {
		assert.Eventually(t, func() bool { return os.RemoveAll(dir) == nil }, 10*time.Second, 50*time.Millisecond)
	})
	return dir
}

// openBrowserFor opens a browser that is ended after some time at the latest.
func openBrowserFor(t testing.TB, width, height int64, most time.Duration) *page {
	t.Helper()
	chromium, err := exec.LookPath("chromium")
	require.NoError(t, err, "chromium is not installed: make needs")
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(chromium), chromedp.NoSandbox, chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-component-update", true), chromedp.UserDataDir(profile(t)))
	allocator, stop := chromedp.NewExecAllocator(context.Background(), options...)
	t.Cleanup(stop)
	ctx, cancel := chromedp.NewContext(allocator)
	t.Cleanup(cancel)
	ctx, timeout := context.WithTimeout(ctx, most)
	t.Cleanup(timeout)
	p := &page{t: t, ctx: ctx}
	require.NoError(t, chromedp.Listen(ctx, func(event any) {
		p.mu.Lock()
		defer p.mu.Unlock()
		switch e := event.(type) {
		case *runtime.EventExceptionThrown:
			p.complaints = append(p.complaints, e.ExceptionDetails.Text)
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
				p.complaints = append(p.complaints, fmt.Sprint(e.Args))
			}
		case *log.EventEntryAdded:
			if e.Entry.Level == log.EntryLevelError {
				p.complaints = append(p.complaints, e.Entry.Text+" "+e.Entry.URL)
			}
		}
	}))
	p.do(chromedp.EmulateViewport(width, height))
	return p
}

func (p *page) do(actions ...chromedp.Action[chromedp.Void]) {
	p.t.Helper()
	require.NoError(p.t, chromedp.Do(p.ctx, actions...))
}

// get runs an action that gives something.
func get[T any](p *page, action chromedp.Action[T]) T {
	p.t.Helper()
	got, err := chromedp.Run(p.ctx, action)
	require.NoError(p.t, err)
	return got
}

// expects says that the browser notes refusals, soon or later, that contain a part.
func (p *page) expects(part string) { p.expected = append(p.expected, part) }

// quiet says that the console complained of nothing but what was expected.
func (p *page) quiet() {
	p.t.Helper()
	p.mu.Lock()
	defer p.mu.Unlock()
	assert.Empty(p.t, slices.DeleteFunc(slices.Clone(p.complaints), func(complaint string) bool {
		return slices.ContainsFunc(p.expected, func(part string) bool { return strings.Contains(complaint, part) })
	}))
}

// The places on a page, as a person finds them: by label and by words.
func field(label string) string {
	return fmt.Sprintf(
		`//*[self::input or self::select][@id=//label[normalize-space()=%q]/@for or @aria-label=%q or parent::label[normalize-space(text()[1])=%q]]`,
		label,
		label,
		label,
	)
}
func button(words string) string { return fmt.Sprintf(`//button[normalize-space()=%q]`, words) }
func line(words ...string) string {
	conditions := make([]string, len(words))
	for i, w := range words {
		conditions[i] = fmt.Sprintf(`.//*[normalize-space()=%q]`, w)
	}
	return `//li/button[` + strings.Join(conditions, " and ") + `]`
}

func (p *page) text() string {
	p.t.Helper()
	return get(p, chromedp.Evaluate[string](`document.body?.innerText ?? ""`))
}

// sees waits until every one of the texts is on the page.
func (p *page) sees(texts ...string) {
	p.t.Helper()
	for _, want := range texts {
		deadline := time.Now().Add(30 * time.Second)
		for !strings.Contains(p.text(), want) {
			if time.Now().After(deadline) {
				p.t.Fatalf("waited in vain for %q on the page:\n%s", want, p.text())
			}
			time.Sleep(30 * time.Millisecond)
		}
	}
}

func (p *page) choose(label, option string) {
	p.t.Helper()
	p.do(chromedp.WaitVisible(field(label)))
	ok := get(p, chromedp.Evaluate[bool](fmt.Sprintf(`(() => {
		const label = [...document.querySelectorAll('label')].find((l) => l.firstChild.textContent.trim() === %q);
		const select = label.control;
		const option = [...select.options].find((o) => o.text === %q);
		if (!option) return false;
		select.value = option.value;
		select.dispatchEvent(new Event('change', { bubbles: true }));
		return true;
	})()`, label, option)))
	require.True(p.t, ok, "no %q under %q", option, label)
}

// retype types over what stands in a field.
func (p *page) retype(label, text string) {
	p.t.Helper()
	p.do(chromedp.Focus(field(label)))
	get(p, chromedp.Evaluate[bool](`document.activeElement.select() === undefined`))
	p.do(chromedp.KeyEvent(text))
}

// follow clicks a link in a part of the page that bears a label.
func (p *page) follow(words, within string) {
	p.t.Helper()
	p.do(chromedp.Click(fmt.Sprintf(`//*[@aria-label=%q]//a[normalize-space()=%q]`, within, words), chromedp.NodeVisible))
}

// press clicks a button that has come to rest: a click lands where the button was.
func (p *page) press(words string) {
	p.t.Helper()
	p.do(chromedp.WaitVisible(button(words)))
	get(p, chromedp.Evaluate[bool](fmt.Sprintf(`(async () => {
		const at = () => JSON.stringify(document.evaluate(%q, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE).singleNodeValue?.getBoundingClientRect());
		await document.fonts.ready;
		for (let was, is = at(), n = 0; was !== is && n < 50; n++) {
			await new Promise((done) => setTimeout(done, 50));
			[was, is] = [is, at()];
		}
		return true;
	})()`, button(words)), awaited))
	p.do(chromedp.Click(button(words), chromedp.NodeVisible))
}

func TestFromSignInToAnAnswer(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := openBrowser(t, 1280, 800)
	p.do(chromedp.Navigate(demo.address + "/"))
	p.sees("Gate Map", "The service printed it when it first started.")
	p.quiet()

	p.do(chromedp.SendKeys(field("Token"), "gm_wrong"))
	p.press("Sign in")
	p.sees("this is not a token of this service")
	p.expects("401 (Unauthorized)")
	p.retype("Token", demo.token)
	p.press("Sign in")
	p.sees(
		"Cindervale Observatory",
		"60 people, 45 groups and 12 systems",
		"Errors 5",
		"Broken guarantees 2",
		"the network team can ping",
	)

	// By the keyboard alone, from a few letters to the person.
	p.do(chromedp.SendKeys(field("Find a person"), "night ok"))
	p.sees("cindervale/ilse.okonjo")
	p.do(chromedp.KeyEvent(kb.Enter))
	p.sees(
		"Ilse Okonjo",
		"Night assistant · Operations · Summit",
		"archive",
		"Image archive",
		"sky-tools",
		"depends 8",
		"open 28",
	)
	p.sees("night-assistants", "listed", "In words")

	// A line shows its route and its reasons.
	p.do(chromedp.Click(line("depends", "/raw/2026", "frames:write"), chromedp.NodeVisible))
	p.sees(
		"and it is open if the source address is in summit and the risk is low or medium and the time is in the window night.",
		"Line archive/mapping 2 gives it: cindervale/ilse.okonjo is listed in cindervale/night-assistants, which is in cindervale/night-crew.",
	)
	assert.Equal(
		t,
		"The way of Ilse Okonjo to /raw/2026; the words below tell it",
		get(p, chromedp.AttributeValue(`svg[role=img]`, "aria-label")).Value,
		"the picture can be heard",
	)

	// Moving the situation answers again: fact by fact, to open and to shut.
	p.choose("Place", "summit")
	p.choose("Risk", "low")
	p.sees("and it is open if the time is in the window night.")
	p.do(
		chromedp.Click(`//button[contains(@aria-label,"Tuesday")]`),
		chromedp.Focus(`[role=slider]`),
		chromedp.KeyEvent(kb.Home),
	)
	p.sees("open 32", "and it is open in this situation (from 198.51.100.1, at ")
	p.do(chromedp.KeyEvent(kb.End), chromedp.KeyEvent(kb.PageDown))
	p.sees("open 32")
	for range 9 {
		p.do(chromedp.KeyEvent(kb.PageDown))
	}
	p.sees("shut 5", "only in window night", "Line archive/mapping 2 gives it only if the time is in the window night.")
	p.choose("Place", "office")
	p.sees("Line archive/mapping 2 gives it only if the source address is in summit.")

	// The address carries all of it; the list can be narrowed.
	address := get(p, chromedp.Location())
	for _, part := range []string{"from=203.0.113.1", "risk=low", "at=", "line="} {
		assert.Contains(t, address, part)
	}
	p.do(chromedp.Navigate(address))
	p.sees("shut 5", "Line archive/mapping 2 gives it only if the source address is in summit.")
	p.do(chromedp.SendKeys(field("Filter by system, object or right"), "planner"))
	p.sees("calendar")
	assert.NotContains(t, p.text(), "/catalogues")
	p.retype("Filter by system, object or right", "xyz")
	p.sees("None of the 37 lines has that state and text.")
	p.press("Show all")
	p.press("Set all to any")
	p.sees("open 28", "depends 8")
	p.follow("Groups", "Of this person")
	p.sees("cindervale/archive-readers", "night-assistants › night-crew")

	p.do(chromedp.NavigateBack())
	p.sees("In words")
	p.do(chromedp.Navigate(demo.address + "/people/cindervale/ilse.okonj"))
	p.sees("Nobody of that name", "ilse.okonjo")
	p.expects("ilse.okonj")
	p.do(chromedp.Click(`//a[normalize-space()="cindervale/ilse.okonjo"]`))
	p.sees("Night assistant · Operations · Summit")
	p.press("Sign out")
	p.sees("What people can do, why, and why not.")
	p.quiet()
}

// Awkward people: nothing held, switched off, at its end, and a narrow screen.
func TestAwkwardPeople(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := openBrowser(t, 390, 800)
	p.do(chromedp.Navigate(demo.address + "/people/cindervale/noor.haddix#token=" + demo.token))
	p.sees("Noor Haddix", "Status: inactive", "open 0", "account inactive")
	assert.Empty(t, get(p, chromedp.Evaluate[string](`location.hash`)), "the token does not stay in the address")
	for _, person := range []string{"noor.haddix", "vic.aldaine", "ilse.okonjo", "bao.lestrange"} {
		p.do(chromedp.Navigate(demo.address + "/people/cindervale/" + person))
		p.sees(person, "Groups", "In words")
		wide := get(p, chromedp.Evaluate[bool](`document.documentElement.scrollWidth > document.documentElement.clientWidth`))
		assert.False(t, wide, "%s is wider than the screen", person)
	}
	p.sees("lacks emails")
	p.quiet()
}

// A session that the service no longer knows leads to the sign-in and back to
// the same place.
func TestASessionThatEnds(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := openBrowser(t, 1280, 800)
	p.do(chromedp.Navigate(demo.address + "/people/cindervale/ilse.okonjo?risk=high#token=" + demo.token))
	p.sees("Ilse Okonjo", "shut 2")
	get(p, chromedp.Evaluate[bool](`fetch('/api/v1/sign-in', { method: 'DELETE' }).then(() => true)`, awaited))
	p.choose("Risk", "medium")
	p.sees("Your session has ended. Sign in, and you are back where you were.")
	p.do(chromedp.SendKeys(field("Token"), demo.token))
	p.press("Sign in")
	p.sees("Ilse Okonjo", "shut 1")
	address := get(p, chromedp.Location())
	assert.Contains(t, address, "risk=medium")
}

func awaited(p *runtime.EvaluateParams) { p.AwaitPromise = new(true) }

// TestScreenshots takes the pictures of docs/screenshots, where it is asked to.
func TestScreenshots(t *testing.T) {
	dir := os.Getenv("GATEMAP_SCREENSHOTS")
	if dir == "" {
		t.Skip("set GATEMAP_SCREENSHOTS to a folder (make shots)")
	}
	demo := startDemo(t, "--data", t.TempDir())
	p := openBrowser(t, 1280, 800)
	shoot := func(name string) {
		p.do(chromedp.Sleep(300 * time.Millisecond))
		png := get(p, chromedp.CaptureScreenshot())
		require.NoError(t, os.WriteFile(dir+"/"+name+".png", png, 0o644))
	}
	const chosen = "/people/cindervale/ilse.okonjo?at=2026-11-24T22:00:00Z&from=198.51.100.1&line=archive+%C2%B7+%2Fraw%2F2026+%C2%B7+frames%3Awrite"
	p.do(chromedp.Navigate(demo.address + "/"))
	p.sees("The service printed it", "Sign in with your organisation")
	shoot("sign-in")
	p.do(chromedp.SendKeys(field("Token"), demo.token))
	p.press("Sign in")
	p.sees("Broken guarantees")
	shoot("chart")
	p.do(chromedp.Navigate(demo.address + chosen))
	p.sees("In words")
	shoot("person")
	p.press("Dark colours")
	shoot("person-night")
	p.press("Light colours")
	p.do(chromedp.EmulateViewport(390, 800), chromedp.Navigate(demo.address+chosen))
	p.sees("In words")
	shoot("person-narrow")
	p.do(chromedp.EmulateViewport(1280, 800))
	c := demo.client(t)
	_, err := c.BeginTrial(t.Context(), "engineer", "Ilse becomes an engineer", nil)
	require.NoError(t, err)
	_, err = c.Stage(
		t.Context(),
		"engineer",
		stage.Change{Do: stage.SetUser, User: "ilse.okonjo", Attribute: "title", Value: []byte(`"Dome engineer"`)},
		stage.Change{Do: stage.Leave, Group: "night-assistants", Member: "ilse.okonjo"},
		stage.Change{
			Do:     stage.MoveLine,
			System: "core-net",
			List:   "rules",
			Line:   "nobody pings",
			Before: "dome engineers to the dome",
		},
	)
	require.NoError(t, err)
	_, err = c.RunDelivery(t.Context(), "sky-tools", answer.DeliveryAsked{})
	require.NoError(t, err)
	p.do(chromedp.Navigate(demo.address + "/trials/engineer"))
	p.sees("By person", "Commit")
	shoot("trial")
	for _, x := range []struct{ name, path, rest string }{
		{"system-rules", "/systems/core-net?who=cindervale/ilse.okonjo&object=dome&right=ssh&at=2026-11-24T12:00:00Z", "The lines on the way"},
		{"system-roles", "/systems/archive?who=cindervale/ilse.okonjo&object=/raw/2026&right=frames:write", "The lines on the way"},
		{"system-seats", "/systems/sky-tools", "4 short"},
		{"system-breadth", "/systems/proposals", "How far each role goes"},
		{"system-files", "/systems/night-files?who=cindervale/ilse.okonjo&object=logs:/shift&right=read", "The lines on the way"},
		{"system-claims", "/systems/cloud-link", "Claims in"},
		{"group", "/groups/cindervale/night-crew", "archive-writers"},
		{"week", "/people/cindervale/ilse.okonjo?view=week&at=2026-11-24T22:00:00Z&from=198.51.100.1", "The week of"},
		{"findings", "/findings", "unknown-name"},
		{"drift", "/drift", "Strangers"},
		{"deliveries", "/deliveries?delivery=1", "Takes away"},
	} {
		p.do(chromedp.Navigate(demo.address + x.path))
		p.sees(x.rest)
		shoot(x.name)
	}
	p.do(chromedp.Navigate(demo.address + "/api"))
	p.drawn("Everything that a user holds")
	shoot("api")
	p.do(chromedp.Navigate(demo.address + "/"))
	p.press("Sign out")
	p.signInAs(demo.address, "Greta Falk")
	p.sees("Your groups", "cindervale/noor.haddix")
	shoot("own-groups")
}

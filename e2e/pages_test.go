package e2e

import (
	"encoding/csv"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// signedIn opens a page of the demo as its first admin.
func signedIn(t *testing.T, demo *program, path string) *page {
	t.Helper()
	p := openBrowserFor(t, 1280, 1000, 3*time.Minute)
	p.do(chromedp.Navigate(demo.address + path + "#token=" + demo.token))
	p.sees("Sign out") // or who goes on at once goes on without a session
	return p
}

// type writes into a field that is found by its label.
func (p *page) typeIn(label, text string) {
	p.t.Helper()
	p.do(chromedp.WaitVisible(field(label)), chromedp.Focus(field(label)), chromedp.KeyEvent(text))
}

func (p *page) unseen(text string) {
	p.t.Helper()
	deadline := time.Now().Add(10 * time.Second)
	for strings.Contains(p.text(), text) {
		if time.Now().After(deadline) {
			p.t.Fatalf("%q stays on the page:\n%s", text, p.text())
		}
		time.Sleep(30 * time.Millisecond)
	}
}

// From the chart to a system, and by a probe to the line that decides; moving the
// situation answers again.
func TestWhyCanSheNotGetIn(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/")
	p.sees("Groups, the gates that they come to", "core-net")
	p.do(chromedp.Click(`//*[local-name()="a"][contains(., "core-net")]`, chromedp.NodeVisible))
	p.sees("The rules as a sluice, from top to bottom", "Which line decides?")
	p.typeIn("Person", "okonjo")
	p.sees("cindervale/ilse.okonjo")
	p.do(chromedp.KeyEvent(kb.Enter))
	p.sees(
		"The lines on the way",
		"nobody else to the dome decides",
		"crew to the dome by night may decide: from summit, in window night",
		"dome engineers to the dome for other users: in cindervale/dome-engineers",
	)
	p.retype("What", "archive-hosts")
	p.retype("Right", "web")
	p.do(chromedp.KeyEvent(kb.Enter))
	p.sees("staff to the archive decides")
	p.do(chromedp.NavigateBack())
	p.sees("Broken guarantees")
	p.quiet()
}

// A page that shows what it has asked for asks no more until something changes.
func TestTheConsoleRests(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/")
	p.sees("Broken guarantees")
	asked := func() (asked int) {
		return get(
			p,
			chromedp.Evaluate[int](`performance.getEntriesByType('resource').filter((r) => r.name.includes('/api/')).length`),
		)
	}
	for path, shows := range map[string]string{
		"/": "Broken guarantees", "/people": "ilse.okonjo", "/people?find=okonjo": "ilse.okonjo", "/groups": "night-crew", "/systems": "core-net", "/systems/core-net": "nobody pings",
		"/findings": "error", "/guarantees": "State", "/history": "Revision", "/intake": "Directory", "/trials": "trial", "/people/cindervale/ilse.okonjo": "archive",
	} {
		p.do(chromedp.Navigate(demo.address + path))
		p.sees(shows)
		deadline := time.Now().Add(10 * time.Second)
		for before := -1; before != asked(); time.Sleep(700 * time.Millisecond) {
			require.True(t, time.Now().Before(deadline), "%s keeps asking", path)
			before = asked()
		}
	}
	p.quiet()
}

// An engineer moves a rule on the page of its system: what it does is told before it is
// staged, the page shows the map with it, it is undone, staged again, and committed.
func TestARuleIsMovedAndCommitted(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/systems/core-net?line=core-net/nobody+pings")
	p.sees("nobody pings", "systems/doors.yaml:")
	p.press("Move")
	p.choose("Before", "instruments")
	p.sees(
		"Moves nobody pings in rules of core-net, before instruments.",
		"Nobody gains or loses anything",
		"It passes instruments",
	)
	p.retype("In the trial", "pings")
	p.press("Stage the change")
	p.sees("With the trial pings: 1 change", "Staged: Moves nobody pings")
	p.press("Unstage")
	p.sees("With the trial pings: 0 changes")
	p.do(chromedp.Navigate(demo.address + "/systems/core-net?line=core-net/nobody+pings&trial=pings"))
	p.press("Switch off")
	p.sees("Switches nobody pings in rules of core-net off", "2 gains, for 2 people")
	p.press("Stage the change")
	p.sees("With the trial pings: 1 change", "switched off")
	p.press("Unstage")
	p.sees("With the trial pings: 0 changes")
	p.do(chromedp.Navigate(demo.address + "/systems/core-net?line=core-net/nobody+pings&trial=pings"))
	p.press("Remove")
	p.sees("Removes nobody pings from rules of core-net", "2 gains, for 2 people")
	p.press("Stage the change")
	p.sees("With the trial pings: 1 change")
	p.do(chromedp.Click(`//*[@role="status"]//a[normalize-space()="pings"]`, chromedp.NodeVisible))
	p.sees("Losses and gains by system", "the guarantee is kept again: the network team can ping")
	p.fill("Reason", "The network team pings again")
	p.press("Commit the trial")
	p.sees("In force as revision 2")
	p.do(chromedp.Navigate(demo.address + "/history?revision=2"))
	p.sees("Revision 2: The network team pings again", "Removes nobody pings")
	p.press("Revert this revision")
	p.sees("revert-2", "breaks the guarantee: the network team can ping", "Reason for the override")
	p.quiet()
}

// What somebody does not hold is told with ways in; one of them is staged as it stands, and the
// outcome tells why something is gained.
func TestAWayInIsStaged(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/systems/archive?who=cindervale/dagny.oyelaran&object=/raw/2026&right=frames:write")
	p.sees(
		"Way in: membership of cindervale/night-crew gives it, on conditions",
		`Stage: department "Data", title "Archivist"`,
	)
	p.press("Stage: join cindervale/night-crew")
	p.sees("1 change", "Staged: Adds cindervale/dagny.oyelaran to the group cindervale/night-crew.")
	p.do(chromedp.Click(`//*[@role="status"]//a[starts-with(normalize-space(), "changes-")]`, chromedp.NodeVisible))
	p.sees("Why", "Now in the group cindervale/night-crew: ", "gains of 1 person")
	p.quiet()
}

// A group's rule is tried while it is written: a count and a sample, or what is wrong.
func TestARuleIsTriedWhileItIsWritten(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/groups/cindervale/archivists")
	p.sees("What is in it, and what it leads to", "chief on /", "by the rule")
	p.press("Rule")
	p.sees("It matches 3 people")
	p.do(chromedp.Click(`//textarea`), chromedp.KeyEvent(kb.End))
	p.do(chromedp.KeyEvent(" and titel"))
	p.sees("The rule has an error at column")
	p.do(chromedp.KeyEvent(" pr"))
	p.sees("It matches 0 people.", "No user has titel.", "losses")
	p.press("Remove the group")
	p.sees("What removing the group would do:", "Removes the group cindervale/archivists", "losses")
	p.quiet()
}

// Tables sort, filter, export and keep that in the address.
func TestTablesKeepTheirStateInTheAddress(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/systems")
	p.sees("Reduction licences")
	first := func() string {
		return get(p, chromedp.Evaluate[string](`document.querySelector('tbody td').innerText.trim()`))
	}
	assert.Equal(t, "archive", first())
	const heading = `//th//button[starts-with(normalize-space(), "System")]`
	p.do(chromedp.Click(heading), chromedp.Click(heading))
	require.Eventually(t, func() bool { return first() == "sky-tools" }, 5*time.Second, 20*time.Millisecond)
	p.typeIn("Filter Systems", "hosts")
	p.unseen("Image archive")
	assert.Equal(t, "reduction-hosts", first())
	address := get(p, chromedp.Location())
	assert.Contains(t, address, "systems-find=hosts")
	assert.Contains(t, address, "systems-by=-system")
	p.do(chromedp.Navigate(address))
	p.sees("2 of 12")
	assert.Equal(t, "reduction-hosts", first())

	dir := t.TempDir()
	_, err := chromedp.Call(
		p.ctx,
		browser.SetDownloadBehavior,
		browser.SetDownloadBehaviorParams{Behavior: browser.SetDownloadBehaviorBehaviorAllow, DownloadPath: dir},
	)
	require.NoError(t, err)
	p.do(chromedp.Click(`//button[@aria-label="Export CSV of Systems"]`))
	file := filepath.Join(dir, "systems.csv")
	require.Eventually(
		t,
		func() bool { info, err := os.Stat(file); return err == nil && info.Size() > 0 },
		10*time.Second,
		50*time.Millisecond,
	)
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	rows, err := csv.NewReader(strings.NewReader(string(raw))).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 3)
	assert.Equal(t, []string{"System", "Title", "Gate type"}, rows[0][:3])
	assert.Equal(t, "reduction-hosts", rows[1][0])

	p.do(chromedp.Navigate(demo.address + "/systems/archive"))
	p.sees("The tree of resources")
	p.press("SVG")
	picture := filepath.Join(dir, "archive-resources.svg")
	require.Eventually(
		t,
		func() bool { info, err := os.Stat(picture); return err == nil && info.Size() > 0 },
		10*time.Second,
		50*time.Millisecond,
	)
	raw, err = os.ReadFile(picture)
	require.NoError(t, err)
	assert.Contains(t, string(raw), "/raw/embargo")
	p.press("PNG")
	picture = filepath.Join(dir, "archive-resources.png")
	require.Eventually(
		t,
		func() bool { raw, err = os.ReadFile(picture); return err == nil && len(raw) > 1000 },
		10*time.Second,
		50*time.Millisecond,
	)
	assert.Equal(t, "\x89PNG", string(raw[:4]))
	p.quiet()
}

// The palette finds people, groups, systems and lines by a few letters, and runs actions.
func TestThePalette(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/findings")
	p.sees("unknown-name")
	const search = `//input[@aria-label="A name, some words, or what to do"]`
	open := func(text string) {
		p.do(chromedp.KeyEvent("k", chromedp.KeyModifiers(2)), chromedp.WaitVisible(search), chromedp.SendKeys(search, text))
	}
	open("nobody pings")
	p.sees("core-net/nobody pings")
	p.do(chromedp.KeyEvent(kb.Enter))
	p.sees("systems/doors.yaml:", "The rules as a sluice")
	open("night-cr")
	p.sees("cindervale/night-crew")
	p.do(chromedp.KeyEvent(kb.Enter))
	p.sees("What is in it, and what it leads to")
	open("dark colours")
	p.do(chromedp.KeyEvent(kb.Enter))
	p.sees("Light colours")
	open("zzz")
	p.sees("Nothing of that name.")
	p.do(chromedp.KeyEvent(kb.Escape))
	p.unseen("Nothing of that name.")
	p.quiet()
}

// An edit survives a session that ends in the middle of it.
func TestAnEditSurvivesTheEndOfTheSession(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/people/cindervale/ilse.okonjo?view=what-if")
	p.sees("What if …")
	p.retype("were", "Archivist")
	p.sees("Sets title of cindervale/ilse.okonjo to Archivist")
	get(p, chromedp.Evaluate[bool](`fetch('/api/v1/sign-in', { method: 'DELETE' }).then(() => true)`, awaited))
	p.press("Stage the change")
	p.sees("Your session has ended. Sign in, and you are back where you were.")
	p.expects("401 (Unauthorized)")
	p.do(chromedp.SendKeys(field("Token"), demo.token))
	p.press("Sign in")
	p.sees("Staged: Sets title of cindervale/ilse.okonjo to Archivist", ": 1 change")
	p.quiet()
}

// An intake from the preview to the log; a person compared, in a week, seen as, printed.
func TestIntakeAndTheViewsOfAPerson(t *testing.T) {
	data := t.TempDir()
	demo := startDemo(t, "--data", data)
	feed := filepath.Join(data, "map", "personnel.csv")
	raw, err := os.ReadFile(feed)
	require.NoError(t, err)
	const line = `E5001;"Okonjo, Ilse";Night assistant;`
	require.Contains(t, string(raw), line)
	require.NoError(
		t,
		os.WriteFile(
			feed,
			[]byte(strings.Replace(string(raw), line, strings.Replace(line, "Night assistant", "Support astronomer", 1), 1)),
			0o600,
		),
	)
	p := signedIn(t, demo, "/intake")
	p.sees("What the personnel office exports")
	p.do(chromedp.Click(`//li[contains(., "personnel")]//button`, chromedp.NodeVisible))
	p.sees("waiting", "title: Night assistant → Support astronomer", "+ gain")
	p.press("Commit the run")
	p.sees("committed", "Run 1 of personnel")

	p.do(chromedp.Navigate(demo.address + "/people/cindervale/ilse.okonjo?at=2026-11-24T22:00:00Z&from=198.51.100.1"))
	p.sees("Support astronomer · Operations · Summit")
	p.follow("Week", "Of this person")
	p.sees("The week of 2026-11-23", "archive frames:write /raw/2026")
	p.follow("Compare", "Of this person")
	p.typeIn("Compare with", "orla venn")
	p.sees("cindervale/orla.venn")
	p.do(chromedp.KeyEvent(kb.Enter))
	p.sees("only cindervale/ilse.okonjo", "only the second")
	assert.Contains(t, get(p, chromedp.Location()), "from=198.51.100.1", "the situation goes along")
	p.follow("See as this person", "Of this person")
	p.sees("Good day, Ilse. This is what you hold.", "Image archive", "no account is touched")
	p.quiet()
}

// Operators, tokens and the rule of two, from the page of settings.
func TestSettings(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/settings")
	p.sees("nadia.strand")
	p.fill("Name of the new token", "dashboards")
	p.fill("Limit to systems", "archive")
	p.press("Create the token")
	p.sees("The token, shown only once: gm_", "dashboards")
	p.do(chromedp.Click(`//button[@aria-label="Revoke the token dashboards"]`))
	p.sees("The token dashboards is revoked.")
	p.fill("Name of the new operator", "pim.castellan")
	p.fill("Password (not needed with the provider)", "a long and quiet sentence")
	p.press("Add the operator")
	p.sees("pim.castellan is an operator now.")
	p.do(chromedp.Click(`//button[@aria-label="Allow connecting for lotte.amundi"]`))
	p.sees("lotte.amundi may change what the map connects to.", "Stop connecting")
	p.do(chromedp.Click(`//label[contains(., "may not commit it")]`))
	p.sees("The two-person rule is on.")
	p.do(chromedp.Navigate(demo.address + "/audit?actor=host"))
	p.sees("pim.castellan", "two-persons")
	p.press("Verify the audit")
	p.sees("entries are unchanged")
	p.quiet()
}

// Whoever has a password changes it, and is signed out by that.
func TestAccount(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	add := exec.Command(binary, "operator", "set", "pim.castellan", "--role", "editor", "--password")
	add.Env, add.Stdin = append(os.Environ(), demo.env()...), strings.NewReader("a long and quiet sentence\n")
	out, err := add.CombinedOutput()
	require.NoError(t, err, string(out))
	p := openBrowser(t, 1280, 800)
	p.do(chromedp.Navigate(demo.address + "/account"))
	p.press("With a name and a password")
	p.fill("Name", "pim.castellan")
	p.fill("Password", "a long and quiet sentence")
	p.press("Sign in")
	p.sees("Your account at Cindervale Observatory", "No tokens yet.")
	p.fill("Name of the new token", "laptop")
	p.press("Create the token")
	p.sees("The token, shown only once: gm_", "laptop")
	p.fill("Your password", "a long and quiet sentence")
	p.fill("New password", "pim.castellan is here")
	p.fill("New password again", "pim.castellan is here")
	p.press("Change the password")
	p.sees("contains the name: take another")
	p.fill("New password", "another long sentence")
	p.fill("New password again", "another long sentence")
	p.press("Change the password")
	p.sees("Your password is changed.")
	p.do(chromedp.Navigate(demo.address + "/people"))
	p.sees("With a name and a password")
}

// The first page comes in less than 250 kB, compressed, faces included; the others in a
// little more each.
func TestTheConsoleIsSmall(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/")
	p.sees("Groups, the gates that they come to", "Broken guarantees 2")
	bytes := get(
		p,
		chromedp.Evaluate[int](
			`performance.getEntriesByType('navigation').concat(performance.getEntriesByType('resource')).filter((e) => !e.name.includes('/api/')).reduce((n, e) => n + e.transferSize, 0)`,
		),
	)
	assert.Less(t, bytes, 250_000)
	assert.Greater(t, bytes, 50_000, "it was measured")
	p.quiet()
}

// What others commit is shown without a turn of the page; the keyboard alone leads from
// the top of a page to a link in its drawing.
func TestLiveAndByKeyboard(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/groups/cindervale/night-assistants")
	p.sees("5 people")
	autumn(t, demo)
	_, err := demo.client(t).
		CommitTrial(t.Context(), "autumn", 2, "She leaves", "the demo's order does not matter here", "")
	require.NoError(t, err)
	p.sees("4 people", "revision 2")

	reached := map[string]bool{}
	for range 80 {
		p.do(chromedp.KeyEvent(kb.Tab))
		reached[get(p, chromedp.Evaluate[string](`(document.activeElement.getAttribute('aria-label') ?? document.activeElement.textContent ?? '').trim().slice(0, 40)`))] = true
	}
	for _, want := range []string{"To the content", "Chart", "What is in it, and what it leads to, dra", "Export CSV of Members", "SVG"} {
		assert.Contains(t, reached, want)
	}
	found := false
	for text := range reached {
		found = found || strings.HasPrefix(text, "is in night-crew")
	}
	assert.True(t, found, "a link in the drawing is reached: %v", reached)
	outline := get(p, chromedp.Evaluate[string](`getComputedStyle(document.activeElement).outlineStyle`))
	assert.Equal(t, "solid", outline, "what has the focus is seen")
	p.quiet()
}

// A finding leads to its line; a guarantee shows who breaks it, and a new one says what
// it would be; a system is written as text, and its file changed as a whole.
func TestFindingsGuaranteesAndFiles(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/findings")
	p.sees("unknown-name 2 errors", "which does not exist")
	p.do(chromedp.Click(`//summary[contains(., "shadowed")]`, chromedp.NodeVisible))
	p.sees("Line core-net/developers again can never decide")
	p.do(chromedp.Click(`//a[normalize-space()="core-net/developers again"]`, chromedp.NodeVisible))
	p.sees("developers again", "systems/doors.yaml:58", "Remove")

	p.do(chromedp.Navigate(demo.address + "/guarantees"))
	p.sees("2 broken of 12")
	p.do(chromedp.Click(`//a[normalize-space()="every scientist can reduce"]`, chromedp.NodeVisible))
	p.sees("every scientist can reduce is broken")
	p.do(
		chromedp.Click(`//textarea`),
		chromedp.KeyEvent(
			`{"guarantee": "few may purge", "at_most": 1, "can": {"system": "archive", "right": "frames:purge"}}`,
		),
	)
	p.sees("breaks the guarantee few may purge", "Nobody gains or loses anything")

	p.do(chromedp.Navigate(demo.address + "/systems?new=system"))
	p.typeIn("File", "systems/new-system.yaml")
	p.sees("Nobody gains or loses anything")
	p.retype("In the trial", "more")
	p.press("Stage the change")
	p.sees("With the trial more: 1 change", "Staged:")
	p.do(chromedp.Navigate(demo.address + "/systems/new-system?trial=more&view=file"))
	p.sees("The tree of resources", "systems/new-system.yaml")
	p.do(chromedp.Click(`//textarea`), chromedp.KeyEvent(kb.End), chromedp.KeyEvent("x: [\n"))
	p.sees("systems/new-system.yaml:")
	p.expects("/api/v1/impact?")
	p.do(chromedp.Navigate(demo.address + "/groups?new=group"))
	p.typeIn("Name, with its directory", "ridge/comet-watch")
	p.sees("Creates the group ridge/comet-watch")
	p.quiet()
}

// Each system's picture has all of its lines, and the form of a line is that of the schema.
func TestPicturesAndFormsOfLines(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/systems/night-files")
	p.sees("allows full at the door")
	for path, want := range map[string]string{"night-files": "full ← everyone", "cloud-link": "compute"} {
		p.do(chromedp.Navigate(demo.address + "/systems/" + path))
		p.do(chromedp.WaitVisible(`//*[name()="svg"]//*[contains(., "` + want + `")]`))
	}
	p.do(chromedp.Navigate(demo.address + "/systems/night-files?add=shares+%3E+charts+%3E+door"))
	p.sees("New line in shares > charts > door", "Members of any of these groups.", "What is denied.")
	p.quiet()
}

package e2e

import (
	"context"
	"encoding/json"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/user"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/situation"
	"gatemap/stage"
)

func (p *program) client(t testing.TB) *client.Client {
	t.Helper()
	c, err := client.New(p.address, p.token)
	require.NoError(t, err)
	return c
}

func usable(t testing.TB, c answer.Asker, user, system string) (rights []string) {
	t.Helper()
	r, err := c.Reach(context.Background(), user, system, situation.Situation{})
	require.NoError(t, err)
	for _, e := range r.Entitlements {
		if e.State.String() == "open" || e.State.String() == "depends" {
			rights = append(rights, e.Object+" "+e.Right)
		}
	}
	return rights
}

// A visitor's season ends; a night assistant becomes an engineer by a title; the
// firewall's rules are put in a wrong order, which the trial shows; it is put right,
// committed, and reverted.
func TestAChangeFromStagingToRevert(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	c, ctx := demo.client(t), t.Context()
	before, err := c.Documents(ctx)
	require.NoError(t, err)
	visitor, ilse := usable(t, c, "vic.aldaine", ""), usable(t, c, "ilse.okonjo", "")
	require.NotEmpty(t, visitor)

	_, err = c.BeginTrial(ctx, "autumn", "What changes in autumn", nil)
	require.NoError(t, err)
	_, err = c.Stage(
		ctx,
		"autumn",
		stage.Change{Do: stage.SetUser, User: "vic.aldaine", Attribute: "active", Value: []byte("false")},
		stage.Change{Do: stage.SetUser, User: "ilse.okonjo", Attribute: "title", Value: []byte(`"Dome engineer"`)},
		stage.Change{
			Do:    stage.SetGroup,
			Group: "cindervale/safety-wardens",
			Field: "rule",
			Value: []byte(`"safetyRole pr or title eq \"Dome engineer\""`),
		},
		stage.Change{Do: stage.Leave, Group: "night-assistants", Member: "ilse.okonjo"},
		stage.Change{
			Do:     stage.MoveLine,
			System: "core-net",
			List:   "rules",
			Line:   "nobody else to the dome",
			Before: "dome engineers to the dome",
		},
	)
	require.NoError(t, err)

	// The wrong order locks out those who keep the domes going.
	out, err := c.Outcome(ctx, "autumn", situation.Situation{}, answer.Part{System: "core-net", Effect: "loss"})
	require.NoError(t, err)
	locked := map[string]bool{}
	for _, x := range out.Items {
		if strings.HasPrefix(x.Before.Object, "dome") {
			locked[x.User] = true
		}
	}
	assert.Contains(t, locked, "cindervale/orla.venn", "a dome engineer: %v", locked)
	turned, err := c.Turned(ctx, "autumn")
	require.NoError(t, err)
	assert.Contains(t, messages(turned), "shadowed")

	trial, err := c.Unstage(ctx, "autumn", 5)
	require.NoError(t, err)
	assert.Len(t, trial.Changes, 4)
	out, err = c.Outcome(ctx, "autumn", situation.Situation{}, answer.Part{})
	require.NoError(t, err)
	for _, x := range out.Items {
		assert.Contains(
			t,
			[]string{"cindervale/vic.aldaine", "cindervale/ilse.okonjo"},
			x.User,
			"nobody else is touched: %+v",
			x,
		)
	}
	tried, err := c.Of(ctx, "autumn")
	require.NoError(t, err)
	assert.Empty(t, usable(t, tried, "vic.aldaine", ""), "asked as if the trial were in force")
	assert.Equal(t, visitor, usable(t, c, "vic.aldaine", ""), "and what is in force is as it was")

	_, err = c.CommitTrial(ctx, "autumn", trial.Version-1, "The season ends", "", "autumn-1")
	assert.ErrorContains(t, err, "the trial autumn has changed")
	done, err := c.CommitTrial(ctx, "autumn", trial.Version, "The season ends", "", "autumn-1")
	require.NoError(t, err)
	assert.Equal(t, 2, done.Revision)
	again, err := c.CommitTrial(ctx, "autumn", trial.Version, "The season ends", "", "autumn-1")
	require.NoError(t, err)
	assert.True(t, again.Again && again.Revision == 2, "the same commit is made once")
	assert.Empty(t, usable(t, c, "vic.aldaine", ""))
	assert.NotEqual(t, ilse, usable(t, c, "ilse.okonjo", ""))

	back, err := c.Revert(ctx, 2, "")
	require.NoError(t, err)
	_, err = c.CommitTrial(ctx, "revert-2", back.Version, "They stay after all", "", "")
	require.NoError(t, err)
	after, err := c.Documents(ctx)
	require.NoError(t, err)
	assert.Equal(t, before.Files, after.Files, "byte for byte")
	assert.Equal(t, visitor, usable(t, c, "vic.aldaine", ""))
	assert.Equal(t, ilse, usable(t, c, "ilse.okonjo", ""))

	verified, err := c.VerifyAudit(ctx, "")
	require.NoError(t, err)
	assert.True(t, verified.Holds)
	log, err := c.Audit(ctx, client.Audited{Object: "autumn"}, "")
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(log.Entries), 3, "begun, staged, unstaged")
}

func messages(t *answer.Turned) (codes []string) {
	for _, f := range t.Findings.New {
		codes = append(codes, string(f.Code))
	}
	return codes
}

// signInAs signs a browser in at the demo's stand-in provider.
func (p *page) signInAs(address, who string) {
	p.t.Helper()
	p.expects("/favicon.ico") // which the provider has not
	p.do(chromedp.Navigate(address + "/"))
	p.sees("Sign in with your organisation")
	p.do(chromedp.Click(`//a[normalize-space()="Sign in with your organisation"]`))
	p.sees("who are you?")
	p.do(chromedp.Click(`//a[normalize-space()="` + who + `"]`))
}

func (p *page) fill(label, text string) {
	p.t.Helper()
	p.do(chromedp.WaitVisible(field(label)))
	p.retype(label, text)
}

func TestTrialsInTheConsole(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := openBrowser(t, 1280, 800)
	p.signInAs(demo.address, "Jory Pell")
	p.sees("jory.pell", "Trials")
	p.do(chromedp.Click(`//nav//a[normalize-space()="Trials"]`))
	p.sees("No trial is open")
	p.fill("Name", "engineer")
	p.fill("Note", "Ilse leaves the night crew")
	p.press("Begin the trial")
	p.sees("Nothing is staged yet.")
	p.fill("Group", "night-crew")
	p.choose("Change", "Remove a member from a group")
	p.fill("Group", "night-crew")
	p.fill("Member", "ilse.okonjo")
	p.press("Stage the change")
	p.sees("ilse.okonjo is in group cindervale/night-crew through cindervale/night-assistants")
	p.expects("422 (Unprocessable Entity)")
	p.fill("Group", "night-assistants")
	p.press("Stage the change")
	p.sees(
		"Removes cindervale/ilse.okonjo from the group cindervale/night-assistants.",
		"Losses and gains by system",
		"losses, ",
		"for 1 person",
		"archive",
	)
	assert.NotContains(t, p.text(), "Reason", "an editor commits nothing")
	p.press("Sign out")
	p.sees("What people can do, why, and why not.")

	p.signInAs(demo.address, "Lotte Amundi")
	p.sees("lotte.amundi")
	p.do(chromedp.Navigate(demo.address + "/trials/engineer"))
	p.fill("Reason", "She starts as an engineer")
	p.press("Commit the trial")
	p.sees("In force as revision 2", "revision 2")
	p.press("Sign out")
	p.sees("Sign in with your organisation")

	// Someone who manages groups changes the members of these, and nothing else.
	p.signInAs(demo.address, "Greta Falk")
	p.sees("Your groups", "cindervale/night-assistants", "cindervale/noor.haddix")
	assert.NotContains(t, p.text(), "Trials")
	p.do(
		chromedp.Click(`//section[h2="cindervale/night-assistants"]//button[@aria-label="Remove cindervale/noor.haddix"]`),
	)
	p.sees("cindervale/noor.haddix is no longer in cindervale/night-assistants.")
	p.quiet()
	r, err := demo.client(t).History(t.Context(), 1, "")
	require.NoError(t, err)
	assert.Equal(t, "cindervale/greta.falk", r.Revisions[0].Author)
}

func listen(t *testing.T) net.Listener {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	return l
}

// A page of another origin gets nothing done, though the browser has a session; a
// session that was stolen opens nothing after the sign-out.
func TestOtherOriginsAndStolenSessions(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := openBrowser(t, 1280, 800)
	p.signInAs(demo.address, "Nadia Strand")
	p.sees("nadia.strand")

	// Another port of this machine is the same site, so that the cookie is sent, but
	// another origin.
	evil := http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html")
		_, _ = w.Write(
			[]byte(
				`<title>evil</title><body>evil<form id=f method=post enctype=text/plain action="` + demo.address + `/api/v1/trials"><input name='{"name":"by-form","note":"' value='"}'></form>`,
			),
		)
	})}
	l := listen(t)
	go func() { _ = evil.Serve(l) }()
	t.Cleanup(func() { evil.Close() })
	p.do(chromedp.Navigate("http://" + l.Addr().String() + "/"))
	p.sees("evil")
	get(
		p,
		chromedp.Evaluate[bool](
			`(() => { fetch("`+demo.address+`/api/v1/trials", {method: "POST", mode: "no-cors", credentials: "include", headers: {"content-type": "text/plain"}, body: '{"name":"by-fetch"}'}).finally(() => { document.title = "tried"; }); return true; })()`,
		),
	)
	require.Eventually(t, func() bool { return get(p, chromedp.Title()) == "tried" }, 10*time.Second, 50*time.Millisecond)
	get(p, chromedp.Evaluate[bool](`(document.getElementById("f").submit(), true)`))
	p.sees("another origin")
	trials, err := demo.client(t).Trials(t.Context())
	require.NoError(t, err)
	assert.Empty(t, trials.Trials)
	log, err := demo.client(t).Audit(t.Context(), client.Audited{Actor: "nadia.strand"}, "")
	require.NoError(t, err)
	refusals := 0
	for _, e := range log.Entries {
		if e.Result == "refused" {
			refusals++
		}
	}
	assert.GreaterOrEqual(t, refusals, 2, "each is in the audit: %+v", log.Entries)

	// Someone copies the session before the sign-out.
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	thief := &http.Client{
		Jar:           jar,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	session := signIn(t, thief, demo.address, "nadia.strand")
	status := func() int {
		request, err := http.NewRequest(http.MethodGet, demo.address+"/api/v1/operators", nil)
		require.NoError(t, err)
		request.AddCookie(session)
		response, err := http.DefaultClient.Do(request)
		require.NoError(t, err)
		response.Body.Close()
		return response.StatusCode
	}
	assert.Equal(t, 200, status())
	request, err := http.NewRequest(http.MethodDelete, demo.address+"/api/v1/sign-in", nil)
	require.NoError(t, err)
	response, err := thief.Do(request)
	require.NoError(t, err)
	response.Body.Close()
	assert.Equal(t, 401, status(), "after the sign-out it opens nothing")
}

// signIn goes through the sign-in at the stand-in provider without a browser.
func signIn(t *testing.T, c *http.Client, address, who string) *http.Cookie {
	t.Helper()
	follow := func(to string) string {
		response, err := c.Get(to)
		require.NoError(t, err)
		response.Body.Close()
		require.Equal(t, http.StatusSeeOther, response.StatusCode, to)
		return response.Header.Get("Location")
	}
	at := follow(address + "/api/v1/sign-in/provider")
	back := follow(at + "&as=" + url.QueryEscape(who))
	follow(back)
	base, err := url.Parse(address)
	require.NoError(t, err)
	for _, cookie := range c.Jar.Cookies(base) {
		if cookie.Name == "gatemap_session" {
			return cookie
		}
	}
	t.Fatal("no session")
	return nil
}

// A sign-in that was begun in one browser ends in no other, and only once; who is no
// operator and manages no group is not let in.
func TestASignInBelongsToItsBrowser(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	browser := func() *http.Client {
		jar, err := cookiejar.New(nil)
		require.NoError(t, err)
		return &http.Client{
			Jar:           jar,
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		}
	}
	ask := func(c *http.Client, to string) (int, string) {
		response, err := c.Get(to)
		require.NoError(t, err)
		response.Body.Close()
		return response.StatusCode, response.Header.Get("Location")
	}
	mine, other := browser(), browser()
	begin := func() string {
		_, at := ask(mine, demo.address+"/api/v1/sign-in/provider")
		_, back := ask(mine, at+"&as=jory.pell")
		return back
	}
	back := begin()
	status, _ := ask(other, back)
	assert.Equal(t, 403, status, "another browser")
	status, _ = ask(mine, back+"&authuser=0")
	assert.Equal(t, 303, status, "providers add parameters of their own")
	status, _ = ask(mine, back)
	assert.Equal(t, 403, status, "a second time")
	status, _ = ask(mine, demo.address+"/api/v1/sign-in/return?error=access_denied&error_description=no")
	assert.Equal(t, 502, status)
}

// Whatever a directory can fill is text on every page, and no script runs.
func TestScriptsInNamesAreText(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	c, ctx := demo.client(t), t.Context()
	const script = `<img src=x onerror="document.title='owned'"><script>document.title='owned'</script>`
	_, err := c.BeginTrial(ctx, "scripts", script, nil)
	require.NoError(t, err)
	text, err := json.Marshal(script)
	require.NoError(t, err)
	changes := []stage.Change{
		{Do: stage.SetGroup, Group: "night-crew", Field: "description", Value: text},
		{Do: stage.CreateGroup, Group: "cindervale/" + strings.ReplaceAll(script, "/", "_")},
		{
			Do:    stage.SetGroup,
			Group: "cindervale/safety-wardens",
			Field: "rule",
			Value: []byte(`"title eq \"<img src=x onerror=document.title='owned'>\""`),
		},
		{
			Do:       stage.AddPart,
			Document: "archive",
			List:     "resources",
			Value:    []byte(`{"path": "/<img src=x onerror=document.title='owned'>"}`),
		},
	}
	for _, attribute := range []string{"displayName", "department", "emails", "userType", "nickName"} {
		changes = append(changes, stage.Change{Do: stage.SetUser, User: "ilse.okonjo", Attribute: attribute, Value: text})
	}
	changes = append(changes, stage.Change{Do: stage.SetUser, User: "ilse.okonjo", Attribute: "title", Value: text},
		stage.Change{Do: stage.Join, Group: "cindervale/" + strings.ReplaceAll(script, "/", "_"), Member: "ilse.okonjo"})
	staged, err := c.Stage(ctx, "scripts", changes...)
	require.NoError(t, err)
	_, err = c.CommitTrial(ctx, "scripts", staged.Version, script, "it is a test", "")
	require.NoError(t, err)
	_, err = c.BeginTrial(ctx, "second", script, nil)
	require.NoError(t, err)
	_, err = c.Stage(
		ctx,
		"second",
		stage.Change{Do: stage.Leave, Group: "night-assistants", Member: "ilse.okonjo"},
		stage.Change{Do: stage.SetUser, User: "ilse.okonjo", Attribute: "title", Value: text[: len(text)-1 : len(text)-1]},
	)
	require.Error(t, err, "half a value is none")
	_, err = c.Stage(ctx, "second", stage.Change{Do: stage.Leave, Group: "night-assistants", Member: "ilse.okonjo"})
	require.NoError(t, err)

	p := openBrowser(t, 1280, 800)
	p.do(chromedp.Navigate(demo.address + "/#token=" + demo.token))
	p.sees("people, ")
	for _, page := range []string{"/", "/people/cindervale/ilse.okonjo", "/trials", "/trials/second"} {
		p.do(chromedp.Navigate(demo.address + page))
		p.sees("<img src=x onerror")
		assert.NotEqual(t, "owned", get(p, chromedp.Title()), page)
		assert.Zero(t, get(p, chromedp.Evaluate[int](`document.querySelectorAll("main img, main script").length`)), page)
	}
	p.do(chromedp.Navigate(demo.address + "/"))
	p.fill("Find a person", "img")
	p.sees("cindervale/ilse.okonjo")
	assert.NotEqual(t, "owned", get(p, chromedp.Title()))
	p.quiet()
}

// Trials on a folder are kept beside the map, and a commit writes its files; what they
// tell is what a service tells.
func TestTrialsOnAFolder(t *testing.T) {
	demo, dir := startDemo(t, "--data", t.TempDir()), t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS("../demo/cindervale")))
	folder := []string{"GATEMAP_MAP=" + dir, "GATEMAP_SERVER="}
	me, err := user.Current()
	require.NoError(t, err)
	both := func(args ...string) string {
		t.Helper()
		one, errs, code := run(t, folder, args...)
		two, otherErrs, otherCode := run(t, demo.env(), args...)
		assert.Equal(t, otherCode, code, "%v: %s%s", args, errs, otherErrs)
		assert.Equal(t, otherErrs, errs)
		// A folder is worked on by the user of the machine.
		assert.Equal(t, two, strings.ReplaceAll(one, ", by "+me.Username+",", ", by host,"), "%v", args)
		return one
	}
	both("trial", "begin", "order")
	both(
		"trial",
		"line",
		"move",
		"order",
		"core-net",
		"rules",
		"network team pings",
		"--before",
		"nobody else to the dome",
		"--dry-run",
	)
	both(
		"trial",
		"line",
		"move",
		"order",
		"core-net",
		"rules",
		"network team pings",
		"--before",
		"nobody else to the dome",
	)
	both("trial", "leave", "order", "night-crew", "ilse.okonjo")
	assert.Contains(t, both("trial", "outcome", "order"), "2 gains, for 2 people")
	both("reach", "cosmo.adeyemi", "--trial", "order")
	assert.FileExists(t, filepath.Join(dir, ".gatemap-trials.json"))
	out, errs, code := run(t, folder, "trial", "commit", "order", "--version", "2", "--reason", "they must ping")
	require.Zero(t, code, errs)
	assert.Equal(t, "Written to "+dir+".\n", out)
	assert.NoFileExists(t, filepath.Join(dir, ".gatemap-trials.json"))
	_, _, code = run(t, demo.env(), "trial", "commit", "order", "--version", "2", "--reason", "they must ping")
	require.Zero(t, code)
	after, err := demo.client(t).Documents(t.Context())
	require.NoError(t, err)
	for path, content := range after.Files {
		raw, err := os.ReadFile(filepath.Join(dir, path))
		require.NoError(t, err)
		assert.Equal(t, content, string(raw), path)
	}
	_, _, code = run(t, folder, "trial", "begin", "off")
	require.Zero(t, code)
	_, _, code = run(t, folder, "trial", "set", "off", "ilse.okonjo", "active", "false")
	require.Zero(t, code)
	_, errs, code = run(t, folder, "trial", "commit", "off", "--version", "2", "--reason", "x")
	assert.Equal(t, 5, code)
	assert.Contains(t, errs, "what sources of the folder hold, which is not written")
}

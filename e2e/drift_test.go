package e2e

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The page shows what a system really holds beside what the map says, down to one cause; reads the
// system again; and takes what was read into a trial.
func TestDriftInTheConsole(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/drift")
	p.sees(
		"Read by list, every 1h",
		"25 accounts, 23 of users of the map",
		"11 entitlements more there than by the map, 4 less; 1 stranger",
		"field-laptop-7",
	)
	p.do(chromedp.Click(`//button[contains(., "it comes by LIC-trial-2024 there")]`, chromedp.NodeVisible))
	p.sees(
		"By person, where it comes by LIC-trial-2024 there",
		"cindervale/olle.branwen",
		"sky-tools/LIC-trial-2024 › sky-tools/mapping 1",
	)
	p.unseen("cindervale/alba.querido › ")
	assert.Contains(t, get(p, chromedp.Location()), "cause-sky-tools=2", "the cause is in the address")
	p.press("Read it now")
	p.sees("25 accounts")
	p.do(chromedp.Click(`//input[@aria-label="Adopt LIC-trial-2024"]`, chromedp.NodeVisible))
	p.press("Adopt the lines chosen, as a trial")
	p.sees(
		"Of what was read of sky-tools: LIC-trial-2024",
		"Adds to mappings of sky-tools: {groups: [sky-tools/LIC-trial-2024], product: planner, without: [queue]}.",
	)
	p.do(chromedp.Navigate(demo.address + "/systems/sky-tools"))
	p.sees("What is really there", "11 entitlements more there")
	_, errs, code := run(t, demo.env(), "trial", "remove", "adopt-sky-tools")
	require.Zero(t, code, errs)
	p.press("Adopt it, as a trial")
	p.sees("adopt-sky-tools", "Replaces the document systems/sky-tools.yaml.")
	p.quiet()
}

// The navigation folds away on a phone, and so does the situation, which remembers how it was.
func TestAPhoneShowsTheAnswerFirst(t *testing.T) {
	demo := startDemo(t, "--data", t.TempDir())
	p := signedIn(t, demo, "/")
	p.do(
		chromedp.EmulateViewport(390, 800),
		chromedp.Navigate(demo.address+"/people/cindervale/ilse.okonjo?at=2026-11-24T22:00:00Z"),
	)
	p.sees("Menu: People", "Situation: at 2026-11-24T22:00:00Z")
	p.unseen("Guarantees")
	p.unseen("Set all to any")
	p.press("Menu: People")
	p.sees("Guarantees", "Drift")
	p.do(chromedp.Click(`//button[contains(., "Situation:")]`, chromedp.NodeVisible))
	p.sees("Set all to any")
	p.do(chromedp.Reload())
	p.sees("Set all to any")
}

// Commands ask a service for what is really there as they ask a folder, and end with 1 where that is
// not what the map says.
func TestDriftByCommands(t *testing.T) {
	data := t.TempDir()
	demo := startDemo(t, "--data", data)
	folder := []string{"GATEMAP_MAP=" + filepath.Join(data, "map"), "GATEMAP_SERVER="}
	out, errs, code := run(t, demo.env(), "reading", "run", "sky-tools")
	require.Zero(t, code, errs)
	assert.Contains(t, out, "25 accounts, 23 of users of the map, 1 stranger; 3 groups")
	for _, args := range [][]string{{"drift", "-o", "csv"}, {"drift", "--people", "--effect", "short", "-o", "csv"}, {"drift", "--user", "cindervale/noor.haddix", "-o", "csv"}, {"drift", "-o", "junit"}, {"who", "sky-tools", "calendar", "--on", "planner", "--really", "-o", "csv"}, {"matrix", "--system", "sky-tools", "--really", "-o", "csv"}, {"compare", "olle.branwen", "ilse.okonjo", "--really", "-o", "csv"}} {
		want, _, wantCode := run(t, folder, args...)
		got, errs, code := run(t, demo.env(), args...)
		assert.Equal(t, want, got, "%v", args)
		assert.Equal(t, wantCode, code, "%v: %s", args, errs)
		assert.NotEmpty(t, got, "%v", args)
	}
	_, _, code = run(t, demo.env(), "drift")
	assert.Equal(t, 1, code)
	out, _, _ = run(t, demo.env(), "drift", "sky-tools", "-o", "json")
	var drifts struct{ Drifts []struct{ Excess, Short int } }
	require.NoError(t, json.Unmarshal([]byte(out), &drifts))
	assert.Equal(t, 11, drifts.Drifts[0].Excess)
	for want, args := range map[string][]string{
		"has no link":                      {"drift", "archive"},
		"there is no system \"sky-tols\"":  {"drift", "sky-tols"},
		"name the system of the map":       {"adopt"},
		"--trial asks as if":               {"reach", "ilse.okonjo", "--really", "--trial", "x"},
		"what is really there is put in a": {"matrix", "--really"},
		"one of excess, short":             {"drift", "--effect", "more"},
	} {
		_, errs, code := run(t, demo.env(), args...)
		assert.Contains(t, errs, want, "%v", args)
		assert.NotZero(t, code, "%v", args)
	}
}

// A guarantee that is asked of what is really there is judged by readings, on a folder and a service
// alike; the map alone would keep it.
func TestGuaranteesOfWhatIsReallyThere(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "map")
	require.NoError(t, os.CopyFS(folder, os.DirFS("../demo/cindervale")))
	file := filepath.Join(folder, "guarantees.yaml")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	const line = "  - {guarantee: the crew plans, nobody: {everyone: true, except: {groups: [astronomers, night-crew]}}, can: {system: sky-tools, right: calendar, object: planner}, really: %t}\n"
	require.NoError(
		t,
		os.WriteFile(
			file,
			fmt.Appendf(fmt.Appendf(text, line, true), strings.Replace(line, "the crew", "by the map the crew", 1), false),
			0o600,
		),
	)
	p, _ := serve(t, folder, filepath.Join(t.TempDir(), "data"))
	require.Eventually(t, func() bool { // the service reads it by itself
		_, _, code := run(t, p.env(), "drift", "sky-tools")
		return code == 1
	}, 10*time.Second, 100*time.Millisecond)
	for _, env := range [][]string{p.env(), {"GATEMAP_MAP=" + folder, "GATEMAP_SERVER="}} {
		out, errs, code := run(t, env, "guarantees", "-o", "csv")
		assert.Equal(t, 1, code, errs)
		assert.Contains(
			t,
			out,
			"the crew plans,broken,cindervale/olle.branwen; cindervale/otis.njemanze; cindervale/paloma.rask,",
			"%v",
			env,
		)
		assert.Contains(t, out, "by the map the crew plans,kept,,")
	}
}

// A system that provides accounts by SCIM is asked for them: here the service's own, in which a program
// has pushed what the map does not say.
func TestASystemIsReadByScim(t *testing.T) {
	folder, secrets := t.TempDir(), t.TempDir()
	listen := freePort(t)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "gatemap.yaml"), fmt.Appendf(nil, `title: Club
---
directory: club
source: {scim: {}}
---
directory: staff
users: [{userName: ilse.okonjo}, {userName: tor.brandal}]
groups: [{name: keepers, members: {users: [ilse.okonjo, tor.brandal]}}]
---
system: tools
type: roles
directory: staff
rights: ["frames:read", "frames:purge"]
resources: [{path: /}]
roles: {reader: {rights: ["frames:read"]}, keeper: {rights: ["frames:*"]}}
mappings: [{groups: [staff/keepers], role: keeper, object: /}]
link:
  scim: {address: "http://%s/scim/v2", secret: {file: token}, object: /}
`, listen), 0o600))
	p := startService(
		t,
		"--data",
		filepath.Join(t.TempDir(), "data"),
		"--map",
		folder,
		"--secrets",
		secrets,
		"--listen",
		listen,
	)
	commit := func(args ...string) string {
		out, errs, code := run(t, p.env(), args...)
		require.Zero(t, code, "%v: %s", args, errs)
		return out
	}
	var token struct{ Token string }
	require.NoError(t, json.Unmarshal([]byte(commit("directory", "token", "club", "-o", "json")), &token))
	require.NoError(t, os.WriteFile(filepath.Join(secrets, "token"), []byte(token.Token), 0o600))
	push := func(kind, body string) string {
		req, err := http.NewRequest(
			http.MethodPost,
			p.address+"/scim/v2/"+kind,
			strings.NewReader(
				`{"schemas": ["urn:ietf:params:scim:schemas:core:2.0:`+strings.TrimSuffix(kind, "s")+`"], `+body[1:],
			),
		)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+token.Token)
		req.Header.Set("Content-Type", "application/scim+json")
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		raw, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		require.Equal(t, 201, res.StatusCode, string(raw))
		var made struct{ ID string }
		require.NoError(t, json.Unmarshal(raw, &made))
		return made.ID
	}
	ilse := push("Users", `{"userName": "ilse.okonjo", "active": true, "roles": [{"value": "reader"}]}`)
	push("Users", `{"userName": "vendor", "active": true, "entitlements": [{"value": "frames:purge"}]}`)
	push("Groups", `{"displayName": "keepers", "members": [{"value": "`+ilse+`"}]}`)
	out, errs, _ := run(t, p.env(), "drift", "tools")
	assert.Contains(t, errs+out, "there is no reading of the system tools yet")
	assert.Contains(t, commit("reading", "run", "tools"), "2 accounts, 2 of users of the map, 0 strangers; 1 group")
	out, _, code := run(t, p.env(), "drift", "tools")
	assert.Equal(t, 1, code)
	for _, want := range []string{
		"+ it is given to the account of club/vendor itself there: 1 entitlement of 1 person",
		"− staff/tor.brandal has no account there: 2 entitlements of 1 person",
		"− line tools/mapping 1 is not given to keepers there: 1 entitlement of 1 person",
	} {
		assert.Contains(t, out, want)
	}
	// And it is brought to what the map says, as far as requests can: what a group opens is the system's own.
	out = commit("delivery", "run", "tools")
	assert.Contains(t, out, "+ POST /Users\n      {\"active\":true,")
	assert.Contains(t, out, "tools/mapping 1  keepers  frames:purge on /, frames:read on /: no statement gives it")
	assert.Contains(t, commit("delivery", "commit", "1"), "arrived")
	out = commit("members", "club/keepers")
	assert.Contains(t, out, "club/ilse.okonjo")
	assert.Contains(t, out, "club/tor.brandal")
	assert.Contains(t, commit("delivery", "run", "tools"), "unchanged")
}

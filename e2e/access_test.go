package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/stage"
)

// pages are all pages of the console, each with something that is on it once it has
// come to rest.
var pages = []struct{ path, rest string }{
	{"/", "Groups, the gates that they come to"},
	{"/people", "Anselm Quaye"},
	{"/people/cindervale/ilse.okonjo", "Copy for a ticket"},
	{"/people/cindervale/ilse.okonjo?view=week&at=2026-11-23T22:00:00Z&from=198.51.100.1", "The week of 2026-11-23"},
	{"/people/cindervale/ilse.okonjo?view=groups", "night-assistants › night-crew"},
	{"/people/cindervale/ilse.okonjo?view=compare&with=cindervale/orla.venn", "not alike"},
	{"/people/cindervale/ilse.okonjo?view=what-if", "What if …"},
	{"/as/cindervale/ilse.okonjo", "Good day, Ilse"},
	{"/groups", "cindervale/night-crew"},
	{"/groups?new=group", "New group"},
	{"/groups/cindervale/night-crew?edit=description", "It has no managers"},
	{"/groups/cindervale/archivists?edit=rule", "It matches 3 people"},
	{"/systems", "Reduction licences"},
	{
		"/systems/archive?who=cindervale/ilse.okonjo&object=/raw/2026&right=frames:write&line=archive/mapping+2",
		"The lines on the way",
	},
	{"/systems/sky-tools?who=cindervale/ilse.okonjo&view=who", "Who holds viewer on reduction-suite"},
	{"/systems/core-net?who=cindervale/ilse.okonjo&object=dome&right=ssh", "decides"},
	{"/systems/core-net?add=rules", "New line in rules"},
	{"/systems/remote-access", "The rules as a sluice"},
	{"/systems/proposals", "How far each role goes"},
	{"/systems/night-files", "Two locks"},
	{"/systems/dome-hosts", "Who logs in where"},
	{"/systems/cloud-link", "Claims in"},
	{"/systems/sign-in-desk", "What stands at the door"},
	{"/trials", "Begin a trial"},
	{"/trials/autumn?trial=autumn", "Losses and gains by system"},
	{"/guarantees?guarantee=the+network+team+can+ping", "the network team can ping is broken"},
	{"/findings", "unknown-name"},
	{"/findings?view=table", "Problem"},
	{"/intake", "The observatory's own directory"},
	{"/history?revision=1", "gatemap.yaml is new"},
	{"/audit", "Verify the audit"},
	{"/settings", "Tokens"},
	{"/nowhere", "There is no such page"},
}

// autumn stages a trial that has something to show.
func autumn(t *testing.T, demo *program) {
	t.Helper()
	c := demo.client(t)
	_, err := c.BeginTrial(t.Context(), "autumn", "What changes in autumn", nil)
	require.NoError(t, err)
	_, err = c.Stage(
		t.Context(),
		"autumn",
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
}

// Every page meets WCAG 2.2 AA as far as a program can tell, by day and by night, on a
// wide screen and on a narrow one, and the browser complains of nothing.
func TestEveryPageIsAccessible(t *testing.T) {
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err, "the console's packages are not installed: make web")
	demo := startDemo(t, "--data", t.TempDir())
	autumn(t, demo)
	for _, look := range []struct {
		colours string
		width   int64
	}{{"light", 1280}, {"dark", 390}} {
		t.Run(look.colours, func(t *testing.T) {
			p := openBrowserFor(t, look.width, 900, 8*time.Minute)
			check := func(name string) {
				get(p, chromedp.Evaluate[bool](string(axe)+";true"))
				raw := get(
					p,
					chromedp.Evaluate[string](
						`axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']}).then((r) => JSON.stringify(r.violations.map((v) => ({id: v.id, nodes: v.nodes.slice(0, 3).map((n) => n.html.slice(0, 200) + ' ' + n.failureSummary)}))))`,
						awaited,
					),
				)
				var violations []struct {
					ID    string
					Nodes []string
				}
				require.NoError(t, json.Unmarshal([]byte(raw), &violations))
				assert.Empty(t, violations, name)
			}
			p.do(chromedp.Navigate(demo.address + "/"))
			p.sees("The service printed it")
			check("sign-in")
			get(p, chromedp.Evaluate[bool](fmt.Sprintf(`(localStorage.setItem('light', %q), true)`, look.colours)))
			p.do(chromedp.Navigate(demo.address + "/people#token=" + demo.token))
			p.sees("Anselm Quaye")
			for _, x := range pages {
				p.do(chromedp.Navigate(demo.address + x.path))
				p.sees(x.rest)
				check(x.path)
				wide := get(
					p,
					chromedp.Evaluate[bool](`document.documentElement.scrollWidth > document.documentElement.clientWidth`),
				)
				assert.False(t, wide, "%s is wider than the screen", x.path)
			}
			p.do(chromedp.Navigate(demo.address + "/systems"))
			p.sees("Reduction licences")
			p.press("Find anything Ctrl K")
			p.do(chromedp.WaitVisible(`//input[@aria-label="A name, some words, or what to do"]`))
			check("palette")
			p.quiet()
		})
	}
}

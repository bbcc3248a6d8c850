package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// awkwardMap is a map that strains a page: a name of 80 characters without a break, one
// that runs from right to left, a person in 400 groups and one in none, a group of 5,000
// and a list of 300 rules.
func awkwardMap(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	write := func(file, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, file), []byte(text), 0o600))
	}
	write(
		"gatemap.yaml",
		"title: Cindervale Observatory\nnetworks: {summit: [198.51.100.0/24]}\nwindows: {night: {days: [mon], from: \"18:00\", to: \"07:00\"}}\n",
	)
	var b strings.Builder
	b.WriteString("directory: cindervale\nusers:\n")
	fmt.Fprintf(
		&b,
		"  - {userName: long, displayName: %s, title: %s}\n",
		strings.Repeat("Longname", 10),
		strings.Repeat("A title without an end ", 8),
	)
	b.WriteString(
		"  - {userName: rtl, displayName: \"נועה בן־הרים\", title: \"אסטרונומית לילה\"}\n  - {userName: alone, displayName: Alone Inderdark}\n  - {userName: joiner, displayName: Joiner Ofall}\n",
	)
	for i := range 5000 {
		fmt.Fprintf(&b, "  - {userName: p%04d, displayName: Person %04d, title: Observer}\n", i, i)
	}
	b.WriteString("groups:\n  - {name: all-of-them, rule: 'title eq \"Observer\"'}\n")
	for i := range 400 {
		fmt.Fprintf(
			&b,
			"  - {name: group-with-a-rather-long-name-%03d, members: {users: [joiner%s]}}\n",
			i,
			map[bool]string{true: ", long, rtl"}[i%100 == 0],
		)
	}
	write("people.yaml", b.String())
	b.Reset()
	b.WriteString("system: wall\ntype: firewall\nzones: {all: [192.0.2.0/24]}\nservices: {ssh: [tcp/22]}\nrules:\n")
	for i := range 300 {
		fmt.Fprintf(
			&b,
			"  - {name: rule %03d with some words, action: permit, groups: [group-with-a-rather-long-name-%03d], to: [\"192.0.2.%d\"], services: [ssh]}\n",
			i,
			i,
			i%256,
		)
	}
	write("wall.yaml", b.String())
	write(
		"hall.yaml",
		"system: hall\ntype: roles\nrights: [\"door:open\"]\nresources: [{path: /}]\nroles: {r: {rights: [\"door:open\"]}}\nmappings: [{groups: [all-of-them], role: r, object: /}, {users: [long, rtl], role: r, object: /}]\n",
	)
	return dir
}

// Awkward data fits its pages, wide and narrow, and lists stay short enough to scroll.
func TestAwkwardData(t *testing.T) {
	service, _ := serve(t, awkwardMap(t), t.TempDir())
	for _, width := range []int64{1280, 390} {
		t.Run(fmt.Sprint(width), func(t *testing.T) {
			p := openBrowserFor(t, width, 900, 3*time.Minute)
			p.do(chromedp.Navigate(service.address + "/#token=" + service.token))
			p.sees("5,004 people, 401 groups and 2 systems")
			for _, x := range []struct{ path, rest string }{
				{"/", "and 261 more groups"},
				{"/people", "cindervale/long"},
				{"/people?find=person+0042", "cindervale/p0042"},
				{"/people/cindervale/long", "Copy for a ticket"},
				{"/people/cindervale/rtl", "Copy for a ticket"},
				{"/people/cindervale/joiner?view=groups", "1–100 of 400"},
				{"/people/cindervale/alone", "Holds nothing"},
				{"/people/cindervale/alone?view=groups", "In no group."},
				{"/people/cindervale/alone?view=week", "Holds nothing in this week"},
				{"/groups/cindervale/all-of-them", "The first 1,000 of 5,000 are here"},
				{"/systems/wall?who=cindervale/joiner&object=192.0.2.5&right=ssh", "rule 005 with some words decides"},
				{"/systems/hall?view=who", "The first 1,000 of 5,002 are here"},
			} {
				p.do(chromedp.Navigate(service.address + x.path))
				p.sees(x.rest)
				wide := get(
					p,
					chromedp.Evaluate[bool](`document.documentElement.scrollWidth > document.documentElement.clientWidth`),
				)
				assert.False(t, wide, "%s is wider than the screen", x.path)
				rows := get(
					p,
					chromedp.Evaluate[int](`Math.max(0, ...[...document.querySelectorAll('tbody')].map((b) => b.children.length))`),
				)
				assert.LessOrEqual(t, rows, 100, "%s shows a page of its list", x.path)
				if dir := os.Getenv("GATEMAP_LOOK"); dir != "" {
					name := strings.Trim(strings.NewReplacer("/", "-", "?", "-", "=", "-", "&", "-").Replace(x.path), "-")
					require.NoError(
						t,
						os.WriteFile(fmt.Sprintf("%s/%d-%.40s.png", dir, width, name), get(p, chromedp.CaptureScreenshot()), 0o600),
					)
				}
			}
			p.press("Fetch more")
			p.sees("The first 2,000 of 5,002 are here")
			p.quiet()
		})
	}
}

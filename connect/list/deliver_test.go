package list_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/delivery"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/types"
	"gatemap/core/reading"
	"gatemap/mapfile"
)

// portal is a system that offers an export, with someone who does what a delivery says.
type portal struct {
	file   string
	active map[string]bool
	holds  map[string]bool // "account,right,object"
}

func (p *portal) export(t require.TestingT) {
	lines := []string{"account,right,object,state"}
	state := map[bool]string{true: "active", false: "locked"}
	for account, on := range p.active {
		lines = append(lines, account+",,,"+state[on])
		for h := range p.holds {
			if strings.HasPrefix(h, account+",") {
				lines = append(lines, h+","+state[on])
			}
		}
	}
	slices.Sort(lines[1:])
	require.NoError(t, os.WriteFile(p.file, []byte(strings.Join(lines, "\n")+"\n"), 0o600))
}

var toDo = regexp.MustCompile(
	`^(?:take (.+) on (.+) from (\S+)|give (\S+) (.+) on (.+)|switch the account (\S+) (on|off)|open the account (\S+))$`,
)

func (p *portal) do(t require.TestingT, text string) {
	x := toDo.FindStringSubmatch(text)
	require.NotNil(t, x, "%s", text)
	switch {
	case x[3] != "":
		require.True(t, p.holds[x[3]+","+x[1]+","+x[2]], "%s is there to be taken", text)
		delete(p.holds, x[3]+","+x[1]+","+x[2])
	case x[4] != "":
		p.holds[x[4]+","+x[5]+","+x[6]] = true
	case x[7] != "":
		p.active[x[7]] = x[8] == "on"
	default:
		p.active[x[9]] = true
	}
}

// Whoever does what a delivery says brings a system to what the map says, and the next one has nothing
// more to do.
func TestWhatAPersonIsToDoBringsItThere(t *testing.T) {
	dir := t.TempDir()
	files, err := connect.OpenFolder(dir)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		p := &portal{file: filepath.Join(dir, "portal.csv"), active: map[string]bool{}, holds: map[string]bool{}}
		var people strings.Builder
		people.WriteString("directory: cindervale\nusers:\n")
		rights, objects := []string{"Lesen", "Schreiben"}, []string{"/", "/raw"}
		var all []string
		for i := range 5 {
			named := fmt.Sprint("p", i)
			all = append(all, named)
			fmt.Fprintf(&people, "  - {userName: %s, active: %t}\n", named, rapid.IntRange(0, 4).Draw(t, "off") > 0)
		}
		for _, account := range append(slices.Clone(all), "stranger") {
			if !rapid.Bool().Draw(t, "there") {
				continue
			}
			p.active[account] = rapid.IntRange(0, 3).Draw(t, "locked") > 0
			for _, r := range rights {
				for _, o := range objects {
					if rapid.Bool().Draw(t, "holds") {
						p.holds[account+","+r+","+o] = true
					}
				}
			}
		}
		some := rapid.SliceOfNDistinct(rapid.SampledFrom(all), 1, 4, rapid.ID[string])
		fmt.Fprintf(&people, "groups:\n  - {name: g0, members: {users: [%s]}}\n  - {name: g1, members: {users: [%s]}}\n",
			strings.Join(some.Draw(t, "g0"), ", "), strings.Join(some.Draw(t, "g1"), ", "))
		m, err := mapfile.Parse([]mapfile.File{
			{
				Path:    "gatemap.yaml",
				Content: []byte("title: Cindervale Observatory\n"),
			}, {Path: "people.yaml", Content: []byte(people.String())},
			{Path: "portal.yaml", Content: []byte(`system: portal
type: roles
directory: cindervale
link: {list: {file: portal.csv, columns: {account: account, right: right, object: object, active: state}, words: {Lesen: "frames:read", Schreiben: "frames:write"}}}
rights: ["frames:read", "frames:write"]
resources: [{path: /}, {path: /raw}]
roles: {reader: {rights: ["frames:read"]}, writer: {rights: ["frames:*"]}}
mappings:
  - {groups: [g0], role: reader, object: /}
  - {groups: [g1], role: writer, object: /raw}
  - {users: [` + some.Draw(t, "denied")[0] + `], role: reader, object: /raw, effect: deny}
`)},
		}, types.Table, connectors.Kinds())
		require.NoError(t, err)
		a, err := atlas.Compile(m)
		require.NoError(t, err)
		s := a.Systems[0].Document
		strangers := rapid.Bool().Draw(t, "strangers")
		var drift *reading.Drift
		var left []delivery.Left
		plan := func() *delivery.Plan {
			p.export(t)
			r, err := connect.Observe(t.Context(), s, connect.Host{Files: files}, func(int) {})
			require.NoError(t, err)
			c, err := reading.Compile(r, a, s)
			require.NoError(t, err)
			drift, err = reading.Between(c, roles.Type)
			require.NoError(t, err)
			w, err := delivery.ByAccount(c, roles.Type)
			require.NoError(t, err)
			w.Strangers, left = strangers, w.Left
			made, err := connect.LinkOf(s).Deliverer().Plan(r, w, connect.Mark{})
			require.NoError(t, err)
			return made
		}
		for range 2 { // what an account holds that was locked shows once it is not
			for _, x := range plan().Statements {
				p.do(t, x.Text)
			}
		}
		assert.Empty(t, plan().Statements)
		for _, x := range drift.Items {
			if x.Effect() == reading.Short { // what lies below would come with it
				assert.True(t, slices.ContainsFunc(left, func(l delivery.Left) bool { return l.Whom == x.User }), "%+v", x)
				continue
			}
			assert.Equal(t, "portal/stranger", x.User, "%+v", x)
			assert.False(t, strangers, "%+v", x)
		}
	})
}

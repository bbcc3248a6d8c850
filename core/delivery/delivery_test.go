package delivery_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/delivery"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/types"
	"gatemap/core/reading"
	"gatemap/mapfile"
)

const people = `directory: cindervale
users:
  - {userName: ada, title: Keeper}
  - {userName: bo, title: Watcher}
  - {userName: cyd, title: Watcher}
  - {userName: dee, active: false}
  - {userName: eli, expires: "2026-01-01T00:00:00Z"}
groups:
  - {name: keepers, members: {users: [ada, bo, dee, eli]}}
  - {name: watchers, members: {users: [bo, cyd]}}
`

// wanted is what a system with some lines is to hold, whose link says something, from a reading with
// some accounts and groups.
func wanted(
	t *testing.T,
	link, lines string,
	r reading.Reading,
	compute func(*reading.Compiled) (*delivery.Wanted, error),
) *delivery.Wanted {
	t.Helper()
	if link != "" {
		link = ", " + link
	}
	system := `system: frames
type: roles
directory: cindervale
link: {list: {file: frames.csv, columns: {account: who}}` + link + `}
rights: ["frames:read", "frames:write"]
resources: [{path: /}, {path: /raw}, {path: /gone}]
roles: {reader: {rights: ["frames:read"]}, writer: {rights: ["frames:*"]}}
` + lines
	m, err := mapfile.Parse([]mapfile.File{
		{
			Path: "gatemap.yaml",
			Content: []byte(
				"title: Cindervale Observatory\n" + `windows: {night: {days: [mon, tue, wed, thu, fri, sat, sun], from: "18:00", to: "06:00"}}` + "\n",
			),
		},
		{Path: "people.yaml", Content: []byte(people)}, {Path: "frames.yaml", Content: []byte(system)},
	}, types.Table, connectors.Kinds())
	require.NoError(t, err)
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	r.System, r.Type, r.At = "frames", "roles", time.Date(2026, 11, 29, 0, 0, 0, 0, time.UTC)
	r.Objects = map[string]string{"/": "root", "/raw": "folder"}
	r.Rights = map[string][]string{"root": {"frames:read"}, "folder": {"frames:read", "frames:write"}}
	if r.Document == nil {
		r.Document = &roles.Document{}
	}
	c, err := reading.Compile(&r, a, m.Systems[0])
	require.NoError(t, err)
	w, err := compute(c)
	require.NoError(t, err)
	return w
}

func byGroup(c *reading.Compiled) (*delivery.Wanted, error) { return delivery.Compute(c, roles.Type) }
func byAccount(c *reading.Compiled) (*delivery.Wanted, error) {
	return delivery.ByAccount(c, roles.Type)
}

// told is what is wanted, in short.
func told(w *delivery.Wanted) (list []string) {
	for _, a := range w.Accounts {
		list = append(list, fmt.Sprintf("account %s of %s on=%v", a.Name, a.User, a.On))
	}
	for _, g := range w.Groups {
		list = append(list, fmt.Sprintf("group %s used=%v: %s", g.Name, g.Used, strings.Join(g.Accounts, " ")))
	}
	for _, g := range w.Grants {
		list = append(list, fmt.Sprintf("grant %s%s %s on %s by %s", g.Group, g.Account, g.Right, g.Object, g.Line))
	}
	for _, l := range w.Left {
		list = append(list, fmt.Sprintf("left %s %s %s %d", l.Line, l.Whom, l.Why, l.All))
	}
	for _, l := range w.Through {
		list = append(list, fmt.Sprintf("through %s %s %v", l.Line, l.Whom, l.Needs))
	}
	for _, p := range w.Problems {
		list = append(list, fmt.Sprintf("problem %s %q %s", p.Record, p.Name, p.Why))
	}
	return list
}

func TestWhatIsWanted(t *testing.T) {
	accounts := func(names ...string) (list []reading.Account) {
		for _, n := range names {
			list = append(list, reading.Account{Name: n, Active: true})
		}
		return list
	}
	for _, x := range []struct {
		name, link, lines string
		reading           reading.Reading
		byAccount         bool
		want              []string
	}{
		{
			name: "a group gets what its line gives, and those of it who are active", link: `names: {groups: "gm_{name}"}`,
			lines: "mappings: [{groups: [keepers], role: writer, object: /raw}]",
			want: []string{
				"account ada of cindervale/ada on=true", "account bo of cindervale/bo on=true", "group gm_keepers used=true: ada bo",
				"grant gm_keepers frames:read on /raw by frames/mapping 1", "grant gm_keepers frames:write on /raw by frames/mapping 1",
			},
		},
		{
			name: "what cannot be held on an object is about what lies below it, and what is not there is left out", link: ``,
			lines: "mappings: [{groups: [watchers], role: writer, object: /}]",
			want: []string{
				"account bo of cindervale/bo on=true", "account cyd of cindervale/cyd on=true", "group watchers used=true: bo cyd",
				"grant watchers frames:read on / by frames/mapping 1", "grant watchers frames:read on /raw by frames/mapping 1", "grant watchers frames:write on /raw by frames/mapping 1",
				"left frames/mapping 1  object 2",
			},
		},
		{
			name: "a condition is left out", link: ``, lines: "mappings: [{groups: [watchers], role: reader, object: /raw, when: {windows: [night]}}]",
			want: []string{"left frames/mapping 1 cindervale/watchers condition 1"},
		},
		{
			name: "a condition is let through where the link says so, and told", link: `unexpressed: grant`, lines: "mappings: [{groups: [watchers], role: reader, object: /raw, when: {windows: [night]}}]",
			want: []string{
				"account bo of cindervale/bo on=true", "account cyd of cindervale/cyd on=true", "group watchers used=true: bo cyd",
				"grant watchers frames:read on /raw by frames/mapping 1", "through frames/mapping 1 cindervale/watchers [window:night]",
			},
		},
		{
			name: "what is denied to one member is not given to the group", link: ``,
			lines: "mappings:\n  - {groups: [watchers], role: writer, object: /raw}\n  - {users: [bo], role: reader, object: /raw, effect: deny}",
			want: []string{
				"account bo of cindervale/bo on=true", "account cyd of cindervale/cyd on=true", "group watchers used=true: bo cyd",
				"grant watchers frames:write on /raw by frames/mapping 1", "left frames/mapping 1 cindervale/watchers members 1",
			},
		},
		{
			name: "what would bring something below with it that is denied is left out", link: ``,
			lines: "mappings:\n  - {groups: [watchers], role: reader, object: /}\n  - {groups: [watchers], role: reader, object: /raw, effect: deny}",
			want:  []string{"left frames/mapping 1  object 1", "left frames/mapping 1 cindervale/watchers below 1", "left frames/mapping 1 cindervale/watchers members 1"},
		},
		{
			name: "a limit of everybody, and everyone", link: `unexpressed: grant`,
			lines: "mappings: [{everyone: true, role: reader, object: /raw}, {groups: [watchers], role: reader, object: /raw}]\nlimits: [{name: still, object: /raw, rights: [\"frames:read\"]}]",
			want:  []string{"left frames/mapping 1  everyone 1", "left frames/mapping 2 cindervale/watchers members 1"},
		},
		{
			name: "accounts that are there keep their names, and those of people who have ended are switched off", link: `names: {users: "x-{userName}"}`,
			lines: "mappings: [{users: [ada], role: reader, object: /raw}]", reading: reading.Reading{Accounts: accounts("X-ADA", "x-dee", "x-eli", "other")},
			want: []string{
				"account X-ADA of cindervale/ada on=true", "account x-dee of cindervale/dee on=false", "account x-eli of cindervale/eli on=false",
				"grant X-ADA frames:read on /raw by frames/mapping 1",
			},
		},
		{
			name: "names that are not clearly ours", link: `names: {users: "{title}"}, ignore: {groups: [watch*]}`,
			lines: "mappings: [{groups: [keepers, watchers], role: reader, object: /raw}]",
			want: []string{
				"account Keeper of cindervale/ada on=true", "group keepers used=true: Keeper", "grant keepers frames:read on /raw by frames/mapping 1",
				`problem cindervale/bo "Watcher" twice`, `problem cindervale/cyd "Watcher" twice`, `problem cindervale/watchers "watchers" ignored`,
			},
		},
		{
			name: "a group that is there and granted nothing loses whom it has not by the map", link: ``, lines: "mappings: []",
			reading: reading.Reading{Accounts: accounts("ada", "bo", "cyd", "dee"), Groups: []reading.Group{{Name: "keepers", Accounts: []string{"bo", "cyd", "dee"}}}},
			want:    []string{"account dee of cindervale/dee on=false", "group keepers used=false: bo"},
		},
		{
			name: "by account each gets what the user holds", link: ``, byAccount: true,
			lines: "mappings:\n  - {groups: [watchers], role: writer, object: /raw}\n  - {users: [bo], role: reader, object: /raw, effect: deny}\n  - {groups: [keepers], role: reader, object: /, when: {windows: [night]}}",
			want: []string{
				"account bo of cindervale/bo on=true", "account cyd of cindervale/cyd on=true",
				"grant bo frames:write on /raw by frames/mapping 1", "grant cyd frames:read on /raw by frames/mapping 1", "grant cyd frames:write on /raw by frames/mapping 1",
				"left frames/mapping 3  object 2", "left frames/mapping 3 cindervale/ada condition 2", "left frames/mapping 3 cindervale/bo condition 1",
			},
		},
	} {
		t.Run(x.name, func(t *testing.T) {
			compute := byGroup
			if x.byAccount {
				compute = byAccount
			}
			assert.Equal(t, x.want, told(wanted(t, x.link, x.lines, x.reading, compute)))
		})
	}
}

func TestWhatTheLinkKnowsOfAndDoesNot(t *testing.T) {
	w := wanted(
		t,
		`names: {groups: "gm_{name}"}, ignore: {accounts: ["svc-*"]}`,
		"mappings: []",
		reading.Reading{Accounts: []reading.Account{
			{
				Name:   "ada",
				Active: true,
			}, {Name: "svc-backup", Active: true}, {Name: "left", Active: false}, {Name: "other", Active: true},
		}},
		byGroup,
	)
	assert.Equal(t, map[string]string{"ada": "cindervale/ada"}, w.Known)
	assert.Equal(t, []string{"other"}, w.Unknown, "who can sign in and belongs to nobody")
	assert.True(t, w.Aside("svc-backup"))
	assert.True(t, w.Ours("gm_x"))
	assert.False(t, w.Ours("gm_"), "there is no name in it")
	assert.False(t, w.Ours("x"))
	assert.Equal(t, "gm_ada", w.GroupFor("ada"))
	w = wanted(
		t,
		`names: {users: "{title}"}`,
		"mappings: []",
		reading.Reading{Accounts: []reading.Account{{Name: "Watcher", Active: true}}},
		byGroup,
	)
	assert.Empty(t, w.Unknown, "it is of one of two")
	p, q := &delivery.Plan{
		Statements: []delivery.Statement{{Text: "a"}},
	}, &delivery.Plan{
		Statements: []delivery.Statement{{Text: "a", For: "b"}},
	}
	assert.True(t, p.Same(q))
	assert.False(t, p.Same(&delivery.Plan{}))
	assert.False(t, slices.Equal(p.Statements, q.Statements))
}

package list_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/list"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
)

var written = time.Date(2026, 11, 20, 8, 0, 0, 0, time.UTC)

// observe reads a list as the rights of a system of a type.
func observe(typ, content string, d list.Document) (*reading.Reading, error) {
	d.File = place.Text{Value: "export"}
	var of gate.Document
	for _, t := range types.Table {
		if t.Name == typ {
			of = t.New()
		}
	}
	s := &gate.System{
		Name: "desk",
		Type: name.Ref{Name: typ},
		Gate: of,
		Link: &gate.Link{Connection: directory.Connection{Document: &d}},
	}
	host := connect.Host{Files: fstest.MapFS{"export": {Data: []byte(content), ModTime: written}}}
	return connect.Observe(context.Background(), s, host, func(int) {})
}

func columns(account, right, object, group string) list.Columns {
	text := func(s string) place.Text { return place.Text{Value: s} }
	return list.Columns{
		Account: text(account),
		Right:   text(right),
		Object:  text(object),
		Group:   text(group),
		Active:  text("State"),
		Used:    text("Used"),
	}
}

func TestLists(t *testing.T) {
	const head = "Login;Right;On;Via;State;Used\n"
	d := list.Document{
		Delimiter: ";",
		Columns:   columns("Login", "Right", "On", "Via"),
		Words:     map[string]string{"Schreiben": "frames:write"},
	}
	r, err := observe("roles", head+
		"ilse;Schreiben;/raw;crew;active;2026-11-01\n"+
		"ilse;frames:read;/raw;;active;\n"+
		"rana;;;crew;Locked;\n"+ // in the group, and locked
		";frames:read;/raw;guests;;\n"+ // what a group has in which nobody is
		"bram;sign in;/raw;;active;\n", d) // no right of this type
	require.NoError(t, err)
	assert.Equal(t, written, r.At, "a list is as old as its file")
	assert.Equal(
		t,
		[]reading.Account{
			{Name: "bram", Active: true},
			{Name: "ilse", Active: true, Note: "last used 2026-11-01"},
			{Name: "rana"},
		},
		r.Accounts,
	)
	assert.Equal(t, []reading.Group{{Name: "crew", Accounts: []string{"ilse", "rana"}}, {Name: "guests"}}, r.Groups)
	assert.Equal(t, []reading.Beyond{{What: "right", Text: "bram: sign in /raw"}}, r.Beyond)

	r, err = observe(
		"hosts",
		`{"Login": "ilse", "Right": "login", "On": "red1", "State": true}`+"\n\n"+`{"Login": "rana", "Right": "run /bin/ls as root", "On": "red2", "State": false, "more": [1]}`+"\n",
		list.Document{Format: "json", Columns: columns("Login", "Right", "On", "")},
	)
	require.NoError(t, err)
	assert.Equal(t, []reading.Account{{Name: "ilse", Active: true}, {Name: "rana"}}, r.Accounts)
	assert.Empty(t, r.Beyond)

	r, err = observe(
		"roles",
		"Login\nilse\n",
		list.Document{Columns: list.Columns{Account: place.Text{Value: "Login"}}, Right: "desk:use", Object: "/"},
	)
	require.NoError(t, err, "what all lines are about can be said once")
	assert.Len(t, r.Accounts, 1)
}

// What a list says of some in a group it does not say of the others.
func TestAListSaysNothingOfOthersInAGroup(t *testing.T) {
	r, err := observe(
		"roles",
		"Login,Right,On,Via,State,Used\nilse,a:read,/,crew,,\nrana,a:read,/,crew,,\nilse,a:write,/,crew,,\n",
		list.Document{Columns: columns("Login", "Right", "On", "Via")},
	)
	require.NoError(t, err)
	var lines []string
	for _, m := range r.Document.(*roles.Document).Mappings {
		line := m.Role.Name
		for _, who := range slices.Concat(m.Groups, m.Users) {
			line += " " + who.Name
		}
		lines = append(lines, line)
	}
	assert.Equal(t, []string{"a:read crew", "a:write ilse"}, lines)
}

// A list is read whole or not at all: a line that is left out would count as not there.
func TestAListIsReadWholeOrNotAtAll(t *testing.T) {
	d := list.Document{
		Columns: list.Columns{Account: place.Text{Value: "Login"}, Right: place.Text{Value: "Right"}},
		Object:  "/",
	}
	asJSON := d
	asJSON.Format = "json"
	for what, c := range map[string]struct {
		document list.Document
		typ      string
		content  string
		want     string
	}{
		"a line with too few columns":   {d, "roles", "Login,Right\nilse,a:b\nrana\n", "export:3: the line has not as many columns"},
		"a line of nobody":              {d, "roles", "Login,Right\n,a:b\n", "export:2: the line names no account: its column Login is empty"},
		"a column that is not there":    {d, "roles", "Logon,Right\nilse,a:b\n", `"Login" (perhaps Logon)`},
		"an empty file":                 {d, "roles", "", "the file is empty"},
		"another encoding":              {d, "roles", "Login,Right\n\xe9va,a:b\n", "is not in the encoding that was said"},
		"a line that is no object":      {asJSON, "roles", "{\"Login\": \"ilse\"}\n[1]\n", "export:2: the line is no JSON object"},
		"a line without an end":         {asJSON, "roles", strings.Repeat("x", 2<<20), "export:1: the line is longer than 1 MiB"},
		"a type of which there is none": {d, "firewall", "Login,Right\n", "list reads systems of the type"},
	} {
		_, err := observe(c.typ, c.content, c.document)
		require.Error(t, err, what)
		assert.ErrorContains(t, err, c.want, what)
	}
}

// No list, however broken, ends the program; what is read has everyone whom it names, and a map
// can hold it.
func FuzzLists(f *testing.F) {
	f.Add("roles", "Login,Right,On,Via\nilse,a:b,/x,crew\n", false)
	f.Add("hosts", `{"Login": "ilse", "Right": "run x as y", "On": "h"}`, true)
	f.Add("licences", "Login,Right,On,Via\nilse,,suite,\n", false)
	nobody, err := atlas.Compile(&atlas.Map{})
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, typ, content string, asJSON bool) {
		if typ == "" || !strings.Contains("roles hosts licences app", typ) {
			typ = "roles"
		}
		d := list.Document{Columns: columns("Login", "Right", "On", "Via")}
		d.Columns.Active, d.Columns.Used = place.Text{}, place.Text{}
		if asJSON {
			d.Format = "json"
		}
		r, err := observe(typ, content, d)
		if err != nil {
			return
		}
		s := &gate.System{Name: "desk", Type: name.Ref{Name: typ}}
		_, err = reading.Compile(r, nobody, s)
		assert.NoError(t, err)
		known := map[string]bool{}
		for _, a := range r.Accounts {
			known[a.Name] = true
		}
		for _, g := range r.Groups {
			for _, a := range g.Accounts {
				assert.True(t, known[a], "%q is in %q and has no account", a, g.Name)
			}
		}
	})
}

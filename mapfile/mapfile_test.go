package mapfile_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"sync"
	"testing"
	"testing/fstest"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/types"
	"gatemap/demo"
	"gatemap/mapfile"
)

const head = "title: Cindervale Observatory\n"

func parse(t testing.TB, content string) (*atlas.Map, error) {
	t.Helper()
	return mapfile.Parse(
		[]mapfile.File{{Path: "gatemap.yaml", Content: []byte(head)}, {Path: "s.yaml", Content: []byte(content)}},
		types.Table,
		connectors.Kinds(),
	)
}

func TestErrorsNameTheirPlace(t *testing.T) {
	for _, c := range []struct{ name, content, want string }{
		{"unknown key", "system: s\ntype: roles\nrights: []\nmappngs: []\n", `s.yaml:4:1: unknown key "mappngs"; did you mean mappings?`},
		{"unknown key with nothing near", "directory: d\nzzzzzzz: 1\n", `s.yaml:2:1: unknown key "zzzzzzz"; the keys here are directory, title, exact, source, same_person, users, devices, groups`},
		{"a key that had another name", "directory: d\ngroups: [{name: g, draws: own}]\n", `s.yaml:2:20: unknown key "draws"; did you mean members_from?`},
		{"two connections", "directory: d\nsource: {ldif: a.ldif, csv: {file: a.csv}}\n", `s.yaml:2:24: this names two connections, ldif and csv: give one of them`},
		{"a connection that has another name", "directory: d\nsource: {lidf: a.ldif}\n", `s.yaml:2:10: unknown key "lidf"; did you mean ldif?`},
		{"a receiver at no address", "notices: night\nsyslog: {address: a}\n", `s.yaml:2:19: address: "a" is no receiver: it is written tls://HOST:PORT`},
		{"a receiver in the clear", "notices: night\nwebhook: {url: \"http://a/b\"}\n", `s.yaml:2:16: url: a is another machine, and notices would go there in the clear`},
		{"a receiver without a way", "notices: night\nabout: [drift]\n", `s.yaml:1:1: the receiver night does not say how it is reached; give it webhook, mail or syslog`},
		{"a receiver twice", "notices: night\nsyslog: {address: \"udp://a:1\"}\n---\nnotices: Night\nsyslog: {address: \"udp://a:1\"}\n", `s.yaml:4:1: there is a receiver of notices Night already`},
		{"a receiver of no topic", "notices: night\nsyslog: {address: \"udp://a:1\"}\nabout: [drifts]\n", `s.yaml:3:9: `},
		{"a receiver of no system", "directory: club\n---\nnotices: night\nsyslog: {address: \"udp://a:1\"}\nsystems: [clab]\n", `s.yaml:5:11: there is no system or directory "clab"; did you mean club?`},
		{"a receiver by two ways", "notices: night\nsyslog: {address: \"udp://a:1\"}\nwebhook: {url: \"https://a\"}\n", `s.yaml:3:1: this names two connections, syslog and webhook: give one of them`},
		{"a source that is a receiver", "directory: d\nsource: {webhook: {url: a}}\n", `s.yaml:2:10: unknown key "webhook"`},
		{"another", "directory: d\ngroups: [{name: g, opens: own}]\n", `s.yaml:2:20: unknown key "opens"; did you mean usable_in?`},
		{"of a directory", "directory: d\njoins: {directory: e, by: mail}\n", `s.yaml:2:1: unknown key "joins"; did you mean same_person?`},
		{"of a source", "directory: d\nsource: {guard: 5}\n", `s.yaml:2:10: unknown key "guard"; did you mean removal_limit?`},
		{"a limit without its sign", "directory: d\nsource: {ldif: a, removal_limit: 20}\n", "s.yaml:2:34: removal_limit: write 20% for 20 percent"},
		{"a limit over all", "directory: d\nsource: {ldif: a, removal_limit: 101%}\n", `removal_limit: "101%" is not a percentage from 0% to 100%, such as 5%`},
		{"key in a list item", "system: s\ntype: roles\nrights: [a:b]\nmappings:\n  - {grops: [x], role: r, object: /}\n", `s.yaml:5:6: unknown key "grops"; did you mean groups?`},
		{"key twice", "directory: d\ntitle: a\ntitle: b\n", "s.yaml:3:1: key title is here twice; it is also at line 2"},
		{"missing key", "directory: d\nusers:\n  - {displayName: Ilse}\n", "s.yaml:3:5: item 1 of users needs the key userName"},
		{"empty required key", "directory: d\ngroups: [{name: }]\n", "needs the key name"},
		{"unknown type", "system: s\ntype: rolls\n", `s.yaml:2:7: there is no gate type "rolls"; did you mean roles?`},
		{"no type", "system: s\n", "s.yaml:1:1: the system needs the key type"},
		{"neither", "foo: 1\n", "s.yaml:1:1: this document has none of the keys"},
		{"not a mapping", "- a\n", "s.yaml:1:1: a document is a set of keys, not a list"},
		{"wrong keyword", "directory: d\ngroups: [{name: g, kind: security-group}]\n", `s.yaml:2:26: kind is one of security, mail, not "security-group"`},
		{"boolean in old YAML", "directory: d\nusers: [{userName: a, active: no}]\n", `s.yaml:2:31: active is true or false, not "no"`},
		{"a number in words", "directory: d\ngroups: [{name: g, expect: three}]\n", `expect is a whole number, not "three"`},
		{"a list where text is due", "directory: d\ngroups: [{name: [g]}]\n", "s.yaml:2:17: name is one value, not a list"},
		{"keys where a list is due", "directory: d\ngroups: {name: g}\n", "s.yaml:2:9: groups is a list, not a set of keys"},
		{"text where keys are due", "directory: d\ngroups: [g]\n", `s.yaml:2:10: item 1 of groups is a set of keys, not "g"`},
		{"an empty item", "directory: d\ngroups: [{name: g, members: {users: [a, ]}}, ~]\n", "item 2 of groups is empty"},
		{"a filter with an error", "directory: d\ngroups: [{name: g, rule: 'title eq \"x'}]\n", "s.yaml:2:26: rule: the rule \"title eq \\\"x\" has an error at column 10"},
		{"a time without a zone", "directory: d\nusers: [{userName: a, expires: 2026-12-31}]\n", "s.yaml:2:32: expires: \"2026-12-31\" is not a time"},
		{"a tab", "directory: d\nusers:\n\t- {userName: a}\n", "s.yaml:3:1: not YAML: the indentation has a tab"},
		{"broken YAML", "directory: d\nusers: [{\n", "s.yaml:"},
		{"an alias", "directory: d\ntitle: &t x\n", "s.yaml:2:8: anchors and aliases are not used in a map folder"},
		{"a list in an attribute list", "directory: d\nusers: [{userName: a, phones: [[1]]}]\n", "attribute phones: a list inside a list"},
		{"a key that is a list", "directory: d\n? [a]\n: b\n", "a key is a word, not a list"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := parse(t, c.content)
			assert.ErrorContains(t, err, c.want)
		})
	}
}

func TestAllErrorsAreToldAtOnceAndInOrder(t *testing.T) {
	_, err := parse(
		t,
		"directory: d\ngroups: [{nam: g}]\n---\nsystem: s\ntype: roles\nrihgts: []\n---\nsystem: t\ntype: nothing\n",
	)
	require.Error(t, err)
	lines := strings.Split(err.Error(), "\n")
	require.Len(t, lines, 5)
	for i, place := range []string{"s.yaml:2:10: ", "s.yaml:2:11: ", "s.yaml:4:1: ", "s.yaml:6:1: ", "s.yaml:9:7: "} {
		assert.Contains(t, lines[i], place)
	}
}

func TestHead(t *testing.T) {
	read := func(content string) (*atlas.Map, error) {
		return mapfile.Parse([]mapfile.File{{Path: mapfile.Head, Content: []byte(content)}}, types.Table, connectors.Kinds())
	}
	m, err := read(
		head + "time_zone: Atlantic/Canary\nnetworks: {office: 203.0.113.0/24, summit: [198.51.100.9, \"2001:db8::/48\"]}\nwindows: {night: {days: [mon], from: \"18:00\", to: \"07:00\"}}\n",
	)
	require.NoError(t, err)
	assert.Equal(t, "Atlantic/Canary", m.Zone.String())
	require.Len(t, m.Networks, 2)
	assert.Equal(t, "198.51.100.9/32", m.Networks[1].Prefixes[0].String())
	assert.EqualValues(t, 18*60, m.Windows[0].From)
	for content, want := range map[string]string{
		head + "time_zone: Moon/Tranquility\n":                                 `gatemap.yaml:2:12: time_zone: there is no time zone "Moon/Tranquility"`,
		head + "networks: {a: 198.51.100.1/25}":                                "has bits set behind its length; write 198.51.100.0/25",
		head + "windows: {w: {days: [monday], from: \"1:00\", to: \"25:00\"}}": "days is one of mon, tue",
		"time_zone: UTC\n": "gatemap.yaml:1:1: the map needs the key title",
	} {
		_, err := read(content)
		assert.ErrorContains(t, err, want, content)
	}
}

func TestPlacesReachTheLines(t *testing.T) {
	m, err := parse(
		t,
		"system: s\ntype: roles\nrights: [\"a:b\"]\nresources: [{path: /}]\nroles: {r: {rights: [\"a:*\"]}}\nmappings:\n  - {groups: [crew],\n     role: r, object: /raw/}\n",
	)
	require.NoError(t, err)
	mapping := m.Systems[0].Gate.(*roles.Document).Mappings[0]
	assert.Equal(t, "s.yaml:7:5", mapping.Place.String())
	assert.Equal(t, "s.yaml:7:15", mapping.Groups[0].Place.String())
	assert.Equal(t, "s.yaml:8:12", mapping.Role.Place.String())
	assert.Equal(t, "/raw", mapping.Object.Value)
}

func TestFiles(t *testing.T) {
	_, err := mapfile.Files(fstest.MapFS{})
	assert.ErrorContains(t, err, "there is no gatemap.yaml in it")
	files, err := mapfile.Files(fstest.MapFS{
		"a.yaml": {
			Data: []byte("directory: d"),
		}, mapfile.Head: {Data: []byte(head)}, "deep/b.yml": {}, ".hidden/c.yaml": {}, "notes.txt": {},
	})
	require.NoError(t, err)
	var paths []string
	for _, f := range files {
		paths = append(paths, f.Path)
	}
	assert.Equal(t, []string{mapfile.Head, "a.yaml", "deep/b.yml"}, paths)
}

// The schema takes what the reader takes and refuses what it refuses.
func TestSchema(t *testing.T) {
	drawn, err := mapfile.Schema(types.Table, connectors.Kinds())
	require.NoError(t, err)
	var parsed any
	require.NoError(t, json.Unmarshal(drawn, &parsed))
	compiler := jsonschema.NewCompiler()
	require.NoError(t, compiler.AddResource("gatemap.json", parsed))
	schema, err := compiler.Compile("gatemap.json")
	require.NoError(t, err)

	files, err := mapfile.Files(demo.Map())
	require.NoError(t, err)
	for _, f := range files {
		for i, doc := range documents(t, string(f.Content)) {
			assert.NoError(t, schema.Validate(doc), "%s, document %d", f.Path, i+1)
		}
	}
	for _, bad := range []string{
		"system: s\ntype: rolls\n", "system: s\ntype: roles\n", "system: s\ntype: roles\nrights: []\nmappngs: []\n",
		"directory: d\ngroups: [{name: g, kind: list}]\n", "directory: d\nusers: [{displayName: x}]\n", "titel: x\n",
		"system: s\ntype: licences\nproducts: [{product: p, features: [{needs: [a]}]}]\n",
	} {
		_, err := parse(t, bad)
		assert.Error(t, err, bad)
		assert.Error(t, schema.Validate(documents(t, bad)[0]), bad)
	}
}

func documents(t *testing.T, content string) []any {
	t.Helper()
	var all []any
	in := yaml.NewDecoder(strings.NewReader(content))
	for {
		var doc any
		if err := in.Decode(&doc); err != nil {
			return all
		}
		// Through JSON, so that numbers and keys are of JSON's kinds.
		raw, err := json.Marshal(doc)
		require.NoError(t, err)
		plain, err := jsonschema.UnmarshalJSON(strings.NewReader(string(raw)))
		require.NoError(t, err)
		all = append(all, plain)
	}
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{
		"directory: d\nusers: [{userName: a, emails: [{value: x}]}]\n", "system: s\ntype: licences\nproducts: [{product: p, features: [v]}]\n",
		"system: s\ntype: roles\nrights: [a:b]\nmappings: [{users: [a], role: r, object: /}]\n", "? [a]\n: b", "a: &x [*x]", "\t",
	} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, content string) {
		m, err := parse(t, content)
		if (m == nil) == (err == nil) {
			t.Fatal("neither a map nor an error")
		}
		if err == nil {
			_, _ = atlas.Compile(m)
		}
	})
}

// Maps that are put together at the same time of what was read once do not write to it.
func TestReadingsAtTheSameTime(t *testing.T) {
	first := mapfile.File{
		Path:    mapfile.Head,
		Content: []byte("title: Dome\nwindows: {night: {days: [mon], from: \"20:00\", to: \"06:00\"}}\n"),
	}
	read, err := mapfile.Read([]mapfile.File{first}, types.Table, connectors.Kinds())
	require.NoError(t, err)
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			own := mapfile.File{Path: "own.yaml", Content: fmt.Appendf(nil, "directory: d%d\n", i)}
			next, err := read.With([]mapfile.File{first, own})
			if assert.NoError(t, err) {
				assert.Equal(t, "night", next.Map.Windows[0].Name)
			}
		})
	}
	all.Wait()
}

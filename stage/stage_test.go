package stage_test

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate/types"
	"gatemap/mapfile"
	"gatemap/stage"
)

const place = `directory: dome
users: [{userName: ilse, title: Cook}, {userName: teo, active: false}]
devices: [{name: console}]
groups:
  - {name: crew, members: {users: [ilse]}}
  - name: kitchen # who cooks
    rule: 'title eq "Cook"'
  - {name: all, members: {groups: [crew, Kitchen], devices: console}}
  - {name: bare}
---
directory: yard
users: [{userName: bo}]
groups: [{name: guests, members: {groups: [dome/crew]}, managers: {groups: [dome/crew]}}]
`

const suite = `system: suite
type: roles
rights: ["door:open"]
roles: {opener: {rights: ["door:open"]}}
mappings:
  - {groups: [crew], role: opener, object: /, except: {groups: [dome/kitchen]}}
  - {users: [dome/ilse], role: opener, object: /}
limits:
  - name: never at night
    off: true # until spring
    rights: ["door:open"]
    object: /
---
guarantees:
  - guarantee: cooks stay out
    nobody: {groups: [dome/kitchen]}
    can: {system: suite, right: "door:open", object: /}
`

func base(t *testing.T) stage.Base {
	t.Helper()
	files := []mapfile.File{
		{Path: "gatemap.yaml", Content: []byte("title: Dome\nnetworks: {yard: [192.0.2.0/24]}\n")},
		{Path: "place.yaml", Content: []byte(place)},
		{Path: "suite.yaml", Content: []byte(suite)},
	}
	m, err := mapfile.Parse(files, types.Table, connectors.Kinds())
	require.NoError(t, err)
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	return stage.Base{Files: files, Map: m, Book: a.Book}
}

// Each change reads back as a sentence, and writes what it says, where it belongs.
func TestChanges(t *testing.T) {
	for _, c := range []struct{ change, sentence, old, new string }{
		{`{"do":"join","group":"crew","member":"teo"}`, "Adds dome/teo to the group dome/crew.", "{users: [ilse]}", "{users: [ilse, teo]}"},
		{`{"do":"join","group":"crew","member":"yard/bo"}`, "Adds yard/bo to the group dome/crew.", "{users: [ilse]}", "{users: [ilse, yard/bo]}"},
		{`{"do":"join","group":"crew","member":"kitchen"}`, "Adds dome/kitchen to the group dome/crew.", "{users: [ilse]}", "{users: [ilse], groups: [kitchen]}"},
		{`{"do":"join","group":"bare","member":"console"}`, "Adds dome/console to the group dome/bare.", "{name: bare}", "{name: bare, members: {devices: [console]}}"},
		{`{"do":"leave","group":"all","member":"kitchen"}`, "Removes dome/kitchen from the group dome/all.", "[crew, Kitchen]", "[crew]"},
		{`{"do":"set-user","user":"ilse","attribute":"Title","value":"Guard"}`, "Sets Title of dome/ilse to Guard (was Cook).", "title: Cook}", "title: Guard}"},
		{`{"do":"set-user","user":"teo","attribute":"active"}`, "", "", ""},
		{`{"do":"set-user","user":"teo","attribute":"active","value":true}`, "Activates dome/teo.", "active: false", "active: true"},
		{`{"do":"set-user","user":"teo","attribute":"emails","value":["a@dome.example","b, c"]}`, "Sets emails of dome/teo to [a@dome.example, 'b, c'].", "active: false}", "active: false, emails: [a@dome.example, 'b, c']}"},
		{`{"do":"set-group","group":"kitchen","field":"rule","value":"title pr"}`, `Sets rule of the group dome/kitchen to title pr (was title eq "Cook").`, `'title eq "Cook"'`, "title pr"},
		{`{"do":"set-group","group":"crew","field":"kind","value":"mail"}`, "Sets kind of the group dome/crew to mail.", "{users: [ilse]}}", "{users: [ilse]}, kind: mail}"},
		{`{"do":"create-group","group":"DOME/dawn","value":{"description":"At dawn","usable_in":"own"}}`, "Creates the group dome/dawn with {description: At dawn, usable_in: own}.", "  - {name: bare}\n", "  - {name: bare}\n  - {name: dawn, description: At dawn, usable_in: own}\n"},
		{`{"do":"create-user","user":"DOME/noor","value":{"title":"Cook"}}`, "Creates the user dome/noor with {title: Cook}.", "active: false}]", "active: false}, {userName: noor, title: Cook}]"},
		{`{"do":"create-user","user":"dome/ilse"}`, "", "", ""},
		{`{"do":"create-user","user":"noor"}`, "", "", ""},
		{`{"do":"create-user","user":"dome/noor","to":"ou=people"}`, "", "", ""},
		{`{"do":"move-user","user":"ilse","to":"ou=people"}`, "", "", ""},
		{`{"do":"switch-user","user":"ilse","value":"off"}`, "", "", ""},
		{`{"do":"remove-group","group":"bare"}`, "Removes the group dome/bare.", "  - {name: bare}\n", ""},
		{`{"do":"add-part","document":"map","list":"networks","part":"annex","value":["192.0.2.9"]}`, "Adds annex to networks of map: [192.0.2.9].", "[192.0.2.0/24]}", "[192.0.2.0/24], annex: [192.0.2.9]}"},
		{`{"do":"add-part","document":"map","list":"windows","part":"noon","value":{"days":["mon"],"from":"12:00","to":"13:00"}}`, "Adds noon to windows of map: {days: [mon], from: '12:00', to: '13:00'}.", "[192.0.2.0/24]}\n", "[192.0.2.0/24]}\nwindows: {noon: {days: [mon], from: '12:00', to: '13:00'}}\n"},
		{`{"do":"add-part","document":"suite","list":"roles","part":"none","value":{"rights":[]}}`, "Adds none to roles of suite: {rights: []}.", `["door:open"]}}`, `["door:open"]}, none: {rights: []}}`},
		{`{"do":"remove-line","system":"suite","list":"mappings","line":"mapping 2"}`, "Removes mapping 2 from mappings of suite (was {users: [dome/ilse], role: opener, object: /}).", "  - {users: [dome/ilse], role: opener, object: /}\n", ""},
		{`{"do":"switch-line","system":"suite","list":"mappings","line":"mapping 2","value":"off"}`, "Switches mapping 2 in mappings of suite off.", "{users: [dome/ilse], role: opener, object: /}", "{users: [dome/ilse], role: opener, object: /, \"off\": true}"},
		{`{"do":"switch-line","system":"suite","list":"limits","line":"never at night","value":"on"}`, "Switches never at night in limits of suite on.", "    off: true # until spring\n", ""},
		{`{"do":"switch-part","document":"guarantees","list":"guarantees","part":"cooks stay out","value":"off"}`, "Switches cooks stay out in guarantees of guarantees off.", "door:open\", object: /}\n", "door:open\", object: /}\n    \"off\": true\n"},
	} {
		var change stage.Change
		require.NoError(t, json.Unmarshal([]byte(c.change), &change))
		b := base(t)
		d := stage.NewDraft(b)
		err := d.Apply(&change)
		if c.sentence == "" {
			assert.Error(t, err, c.change)
			continue
		}
		require.NoError(t, err, c.change)
		before, after := text(b.Files), text(d.Files)
		assert.Equal(t, strings.Replace(before, c.old, c.new, 1), after, c.change)
		assert.NotEqual(t, before, after, c.change)
		assert.Equal(t, c.sentence, change.Sentence())
		_, err = mapfile.Parse(d.Files, types.Table, connectors.Kinds())
		require.NoError(t, err, after)
	}
}

func text(files []mapfile.File) (all string) {
	for _, f := range files {
		all += string(f.Content)
	}
	return all
}

// A group that is renamed is renamed wherever it is named, however that is written.
func TestRenaming(t *testing.T) {
	d := stage.NewDraft(base(t))
	require.NoError(t, d.ApplyAll([]stage.Change{
		{Do: stage.RenameGroup, Group: "kitchen", To: "cooks"}, {Do: stage.RenameGroup, Group: "crew", To: "Night crew"},
		{Do: stage.Join, Group: "dome/Night crew", Member: "teo"},
	}))
	after := text(d.Files)
	for _, want := range []string{"- name: cooks # who cooks", "{groups: [Night crew, cooks], devices: console}", "members: {groups: [dome/Night crew]}, managers: {groups: [dome/Night crew]}", "{groups: [Night crew], role: opener, object: /, except: {groups: [dome/cooks]}}", "{name: Night crew, members: {users: [ilse, teo]}}"} {
		assert.Contains(t, after, want)
	}
	var e *stage.Error
	require.True(t, errors.As(d.Apply(&stage.Change{Do: stage.Join, Group: "dome/crew", Member: "teo"}), &e))
	assert.Contains(t, e.Reason, "an earlier change removes the group dome/crew")
}

// A group that an earlier change of the same trial made is renamed in what changes after it
// wrote, and its first name is free.
func TestRenamingWhatWasMadeHere(t *testing.T) {
	d := stage.NewDraft(base(t))
	require.NoError(t, d.ApplyAll([]stage.Change{
		{Do: stage.CreateGroup, Group: "dome/dawn"},
		{
			Do:     stage.AddLine,
			System: "suite",
			List:   "mappings",
			Value:  json.RawMessage(`{"groups":["Dawn"],"role":"opener","object":"/"}`),
		},
		{Do: stage.RenameGroup, Group: "dawn", To: "dusk"},
		{Do: stage.Join, Group: "dusk", Member: "teo"},
		{Do: stage.CreateGroup, Group: "dome/dawn"},
	}))
	after := text(d.Files)
	assert.Contains(t, after, "{groups: [dusk], role: opener, object: /}")
	assert.Contains(t, after, "{name: dusk, members: {users: [teo]}}")
	_, err := mapfile.Parse(d.Files, types.Table, connectors.Kinds())
	require.NoError(t, err, after)
	assert.Error(t, d.Apply(&stage.Change{Do: stage.RenameGroup, Group: "dawn", To: "Dusk"}), "there is one")
}

// A bare name that has come to mean two groups is not taken for one of them.
func TestNamesThatChangesMakeAmbiguous(t *testing.T) {
	for _, c := range []stage.Change{{Do: stage.Join, Group: "crew", Member: "teo"}, {Do: stage.Join, Group: "all", Member: "crew"}, {Do: stage.RenameGroup, Group: "crew", To: "x"}} {
		d := stage.NewDraft(base(t))
		require.NoError(t, d.Apply(&stage.Change{Do: stage.CreateGroup, Group: "yard/crew"}))
		var e *directory.NotFoundError
		require.ErrorAs(t, d.Apply(&c), &e)
		assert.Equal(t, []string{"dome/crew", "yard/crew"}, e.Candidates)
	}
	d := stage.NewDraft(base(t))
	require.NoError(t, d.ApplyAll([]stage.Change{
		{Do: stage.CreateGroup, Group: "yard/crew"},
		{Do: stage.RenameGroup, Group: "dome/crew", To: "hands"},
	}))
	assert.Contains(t, text(d.Files), "{groups: [hands], role: opener", "it was written for the one")
}

// What cannot be made is said in words that help, and changes nothing.
func TestChangesThatCannotBeMade(t *testing.T) {
	for change, want := range map[string]string{
		`{"do":"jion"}`:                "there is no kind of change",
		`{"do":"join","group":"crew"}`: "join needs member",
		`{"do":"join","group":"crew","member":"teo","field":"x"}`:                                   "join does not take field",
		`{"do":"join","group":"crwe","member":"teo"}`:                                               "did you mean crew",
		`{"do":"join","group":"crew","member":"tio"}`:                                               "did you mean teo",
		`{"do":"join","group":"crew","member":"ilse"}`:                                              "group dome/crew lists dome/ilse already",
		`{"do":"join","group":"kitchen","member":"teo"}`:                                            "the rule of group dome/kitchen decides who is in it",
		`{"do":"leave","group":"crew","member":"teo"}`:                                              "group dome/crew does not list dome/teo",
		`{"do":"leave","group":"all","member":"ilse"}`:                                              "through dome/crew → dome/all: remove the person from dome/crew, remove dome/crew from dome/all",
		`{"do":"set-user","user":"ilse","attribute":"active","value":"yes"}`:                        "active is true or false",
		`{"do":"set-user","user":"ilse","attribute":"expires","value":"tomorrow"}`:                  "is not a time as RFC 3339 has it",
		`{"do":"set-group","group":"crew","field":"name","value":"x"}`:                              "a group has no name to set",
		`{"do":"create-group","group":"dawn"}`:                                                      "write the new group with its directory",
		`{"do":"create-group","group":"dome/crew"}`:                                                 "there is a group dome/crew already",
		`{"do":"rename-group","group":"crew","to":"all"}`:                                           "there is a group dome/all already",
		`{"do":"rename-group","group":"crew","to":"a/b"}`:                                           "without a slash",
		`{"do":"remove-line","system":"siute","list":"mappings","line":"1"}`:                        "did you mean suite",
		`{"do":"remove-line","system":"suite","list":"mapping","line":"1"}`:                         "mapping of suite does not hold lines; the lines are in mappings, limits",
		`{"do":"remove-line","system":"suite","list":"mappings","line":"3"}`:                        "there is no number 3; there are 2",
		`{"do":"remove-line","system":"suite","list":"mappings","line":"opener"}`:                   "2 items have opener",
		`{"do":"move-part","document":"suite","list":"roles","part":"opener"}`:                      "has no order",
		`{"do":"move-line","system":"suite","list":"mappings","line":"1","before":"2"}`:             "1 is there already",
		`{"do":"move-line","system":"suite","list":"mappings","line":"1","before":"2","after":"2"}`: "before or after, not both",
		`{"do":"add-part","document":"suite","list":"roles","value":{"rights":[]}}`:                 "name the key to add in part",
		`{"do":"add-part","document":"suite","list":"roles","part":"opener","value":{}}`:            "has opener already",
		`{"do":"add-part","document":"suite","list":"roles","part":"watcher","value":null}`:         "add-part needs a value",
		`{"do":"add-part","document":"suite","list":"objects","part":"hall","value":null}`:          "add-part needs a value",
		`{"do":"add-line","system":"suite","list":"limits","value":null}`:                           "add-line needs a value",
		`{"do":"change-line","system":"suite","list":"mappings","line":"1","value":null}`:           "change-line needs a value",
		`{"do":"remove-part","document":"suite","list":"mappings","part":"1"}`:                      "mappings of suite holds lines: use remove-line",
		`{"do":"remove-line","system":"suite","list":"roles","line":"opener"}`:                      "roles of suite does not hold lines; the lines are in mappings, limits. Use remove-part",
		`{"do":"remove-line","system":"map","list":"networks","line":"annex"}`:                      "map is not a system; only systems have lines",
		`{"do":"change-line","system":"suite","list":"mappings","line":"1","value":"{a: ["}`:        "",
		`{"do":"switch-line","system":"suite","list":"mappings","line":"1","value":"on"}`:           "1 in mappings of suite is on already",
		`{"do":"switch-line","system":"suite","list":"limits","line":"1","value":"off"}`:            "1 in limits of suite is off already",
		`{"do":"switch-line","system":"suite","list":"mappings","line":"1","value":true}`:           "the value of switch-line is on or off",
		`{"do":"switch-line","system":"suite","list":"mappings","line":"1"}`:                        "switch-line needs value",
		`{"do":"switch-part","document":"map","list":"networks","part":"yard","value":"off"}`:       "yard in networks of map is not a set of keys: it cannot be switched off",
		`{"do":"write-document","document":"../etc/passwd","value":"x"}`:                            "a document is a file of the map folder",
		`{"do":"write-document","document":"x.yaml","value":7}`:                                     "the value is a piece of text",
		`{"do":"remove-document","document":"gatemap.yaml"}`:                                        "marks the map folder and cannot be removed",
		`{"do":"remove-document","document":"suit.yaml"}`:                                           "did you mean suite.yaml",
	} {
		var c stage.Change
		require.NoError(t, json.Unmarshal([]byte(change), &c))
		b := base(t)
		d := stage.NewDraft(b)
		err := d.Apply(&c)
		if want == "" {
			assert.NoError(t, err, "a piece of text is a value like any other")
			continue
		}
		assert.ErrorContains(t, err, want, change)
		assert.Equal(t, text(b.Files), text(d.Files), change)
		var missing *directory.NotFoundError
		var e *stage.Error
		assert.True(t, errors.As(err, &missing) || errors.As(err, &e), "%T", err)
	}
}

package mapfile_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/mapfile"
)

const rules = `# What stands at the edge.
system: core-net   # the core
type: firewall
zones: {control: [192.0.2.0/26]}
rules:
  # The crew's own.
  - {name: crew, action: permit, groups: [night-crew]}
  - {name: "nobody, ever", action: refuse}  # for all

  - name: web
    action: permit
    # all of them
    everyone: true
default: refuse
---
system: work
type: app
mappings: [{groups: [a], role: x}, {groups: [b], role: y}]
teams:
`

func text(t require.TestingT, content string) *mapfile.Text {
	open, err := mapfile.OpenText(mapfile.File{Path: "f.yaml", Content: []byte(content)})
	require.NoError(t, err)
	return open
}

func value(t require.TestingT, content string) mapfile.Value {
	v, err := mapfile.ParseValue(content)
	require.NoError(t, err)
	return v
}

func spot(t require.TestingT, in *mapfile.Text, system string, keys ...string) mapfile.Spot {
	at, ok := in.Document("system", system)
	require.True(t, ok)
	for _, k := range keys {
		at, ok = in.Key(at, k)
		require.True(t, ok, k)
	}
	return at
}

// A quote inside a plain text looks like the begin of a quoted one, which then ends
// elsewhere: what follows, to the last comment without a line end, is no end of a list.
func TestAnEditEndsWhateverTheTextEndsWith(t *testing.T) {
	const content = "system: a\nrules:\n- [a \"b, c]\n- [d]\nz: \"q\"\n# the end"
	x := text(t, content)
	at := spot(t, x, "a", "rules")
	ended := make(chan string)
	go func() {
		defer close(ended)
		less, err := x.Remove(item(at, 0))
		if err == nil {
			ended <- less.Flow(at)
		}
	}()
	select {
	case got := <-ended:
		assert.Equal(t, "[[d]]", got)
	case <-time.After(10 * time.Second):
		t.Fatal("it does not end")
	}
}

func item(at mapfile.Spot, i int) mapfile.Spot { return append(at[:len(at):len(at)], i) }

// What an edit does not touch stays byte for byte.
func TestEditsWriteOnlyWhatTheyTouch(t *testing.T) {
	for name, c := range map[string]struct {
		edit     func(*mapfile.Text) (*mapfile.Text, error)
		old, new string
	}{
		"a line is put before another, and before the comment of that": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Insert(spot(t, x, "core-net", "rules"), 0, "", value(t, `{"name": "first", "services": ["ssh", "a, b"], "log": "yes"}`))
			},
			"  # The crew's own.", "  - {name: first, services: [ssh, 'a, b'], log: \"yes\"}\n  # The crew's own.",
		},
		"a line is put at the end of a list": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Insert(spot(t, x, "core-net", "rules"), 3, "", value(t, `{name: last}`))
			},
			"    everyone: true\n", "    everyone: true\n  - {name: last}\n",
		},
		"a line moves with its comment": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Move(item(spot(t, x, "core-net", "rules"), 0), 2)
			},
			"  # The crew's own.\n  - {name: crew, action: permit, groups: [night-crew]}\n  - {name: \"nobody, ever\", action: refuse}  # for all\n\n",
			"  - {name: \"nobody, ever\", action: refuse}  # for all\n\n  # The crew's own.\n  - {name: crew, action: permit, groups: [night-crew]}\n",
		},
		"a line is taken away with its comment": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Remove(item(spot(t, x, "core-net", "rules"), 0))
			},
			"  # The crew's own.\n  - {name: crew, action: permit, groups: [night-crew]}\n", "",
		},
		"a key of a line that is written over several is changed, one comes and one goes": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Replace(item(spot(t, x, "core-net", "rules"), 2), value(t, `{name: web, action: refuse, groups: [staff]}`))
			},
			"    action: permit\n    # all of them\n    everyone: true\n", "    action: refuse\n    groups: [staff]\n",
		},
		"a key of a line on one line is changed": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Replace(item(spot(t, x, "core-net", "rules"), 1), value(t, `{name: "nobody, ever", action: permit}`))
			},
			"{name: \"nobody, ever\", action: refuse}  # for all", "{name: \"nobody, ever\", action: permit}  # for all",
		},
		"a value comes into a set of keys on one line": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Insert(spot(t, x, "core-net", "zones"), 1, "hosts", value(t, "[192.0.2.64/27]"))
			},
			"[192.0.2.0/26]}", "[192.0.2.0/26], hosts: [192.0.2.64/27]}",
		},
		"an item of a list on one line is taken away": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Remove(item(spot(t, x, "work", "mappings"), 0))
			},
			"[{groups: [a], role: x}, {", "[{",
		},
		"an empty key gets its first item": {
			func(x *mapfile.Text) (*mapfile.Text, error) {
				return x.Insert(spot(t, x, "work", "teams"), 0, "", value(t, "{team: red}"))
			},
			"teams:\n", "teams: [{team: red}]\n",
		},
	} {
		t.Run(name, func(t *testing.T) {
			got, err := c.edit(text(t, rules))
			require.NoError(t, err)
			require.Equal(t, 1, strings.Count(rules, c.old))
			assert.Equal(t, strings.Replace(rules, c.old, c.new, 1), string(got.File.Content))
		})
	}
}

func TestTheOnlyLineOfAListLeavesAnEmptyOne(t *testing.T) {
	x := text(t, "system: a\nrules:\n- one\nlast: true\n")
	got, err := x.Remove(item(spot(t, x, "a", "rules"), 0))
	require.NoError(t, err)
	assert.Equal(t, "system: a\nrules: []\nlast: true\n", string(got.File.Content))
}

// A text in whatever style is edited as a list is, and edits that undo each other
// leave what was there.
func TestEditsOfTextsAreEditsOfLists(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var list []string
		word := rapid.SampledFrom([]string{"a", "it's", `q"q`, "x, y", "# no", "- d", "yes", "k: v", "12", "ä", ""})
		for range rapid.IntRange(1, 4).Draw(t, "items") {
			list = append(list, word.Draw(t, "item"))
		}
		content := "system: s # {\nitems:\n"
		style := rapid.SampledFrom([]string{"block", "flow", "keys"}).Draw(t, "style")
		written := func(w string) string { return mapfile.TextValue(w).String() }
		if style == "flow" {
			content = "system: s # {\nitems: [" + written(list[0])
			for _, w := range list[1:] {
				content += rapid.SampledFrom([]string{", ", " ,\n  "}).Draw(t, "comma") + written(w)
			}
			content += "]\n"
		} else {
			for _, w := range list {
				if rapid.Bool().Draw(t, "comment") {
					content += "  # {about it\n"
				}
				if style == "keys" {
					content += "  - v: " + written(w) + "\n    w: [1, '}']\n"
				} else {
					content += "  - " + written(w) + "\n"
				}
			}
		}
		content += "more: '#'\n"
		x := text(t, content)
		at := spot(t, x, "s", "items")
		read := func(x *mapfile.Text) (got []string) {
			for i := range list {
				got = append(got, x.Flow(item(at, i)))
			}
			return got
		}
		before := read(x)
		switch rapid.IntRange(0, 2).Draw(t, "edit") {
		case 0:
			i := rapid.IntRange(0, len(list)).Draw(t, "at")
			more, err := x.Insert(at, i, "", value(t, "[new, 'it''s']"))
			require.NoError(t, err)
			assert.Equal(t, "[new, it's]", more.Flow(item(at, i)))
			back, err := more.Remove(item(at, i))
			require.NoError(t, err)
			assert.Equal(t, before, read(back))
			assert.Contains(t, string(more.File.Content), "system: s # {", "comments stay")
		case 1:
			from, to := rapid.IntRange(0, len(list)-1).Draw(t, "from"), rapid.IntRange(0, len(list)).Draw(t, "to")
			moved, err := x.Move(item(at, from), to)
			require.NoError(t, err)
			want := append(append([]string{}, before[:from]...), before[from+1:]...)
			if to > from {
				to--
			}
			want = append(want[:to:to], append([]string{before[from]}, want[to:]...)...)
			assert.Equal(t, want, read(moved))
		case 2:
			i := rapid.IntRange(0, len(list)-1).Draw(t, "at")
			other, err := x.Replace(item(at, i), value(t, "{v: other, u: '# x'}"))
			require.NoError(t, err)
			want := append([]string{}, before...)
			want[i] = fmt.Sprintf("{v: other, u: %q}", "# x")
			got := read(other)
			assert.Equal(t, strings.ReplaceAll(want[i], `"`, "'"), strings.ReplaceAll(got[i], `"`, "'"))
			got[i], want[i] = "", ""
			assert.Equal(t, want, got)
		}
	})
}

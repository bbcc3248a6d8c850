package stage_test

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/gate/types"
	"gatemap/mapfile"
	"gatemap/stage"
)

// rules is a firewall of some rules, each with a comment above it and one beside.
func rules(t require.TestingT, names []string) stage.Base {
	var b strings.Builder
	b.WriteString("# what passes\nsystem: wall\ntype: firewall\nrules:\n")
	for _, n := range names {
		fmt.Fprintf(&b, "  # about %s\n  - {name: %s, action: permit, everyone: true, services: [tcp/22]} # %s\n", n, n, n)
	}
	b.WriteString("default: refuse\n")
	files := []mapfile.File{
		{Path: "gatemap.yaml", Content: []byte("title: Dome\n")},
		{Path: "place.yaml", Content: []byte(place)},
		{Path: "wall.yaml", Content: []byte(b.String())},
	}
	m, err := mapfile.Parse(files, types.Table, connectors.Kinds())
	require.NoError(t, err)
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	return stage.Base{Files: files, Map: m, Book: a.Book}
}

// order gives the names of the rules as the file has them, and its lines sorted.
func order(t require.TestingT, files []mapfile.File) (names, lines []string) {
	text, err := mapfile.OpenText(
		files[slices.IndexFunc(files, func(f mapfile.File) bool { return f.Path == "wall.yaml" })],
	)
	require.NoError(t, err)
	at, ok := text.Document("system", "wall")
	require.True(t, ok)
	list, _ := text.Key(at, "rules")
	for i := range text.Size(list) {
		names = append(names, text.Name(list.At(i)))
	}
	for _, f := range files {
		lines = append(lines, strings.Split(string(f.Content), "\n")...)
	}
	slices.Sort(lines)
	return names, lines
}

// Wherever rules are moved, they stand in the order that was meant, and every line of
// the files, with its comments, is still there as it was.
func TestMovedRulesTakeTheirCommentsAlong(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		want := []string{"r1", "r2", "r3", "r4", "r5"}[:rapid.IntRange(2, 5).Draw(t, "rules")]
		b := rules(t, want)
		_, lines := order(t, b.Files)
		d, want := stage.NewDraft(b), slices.Clone(want)
		for range rapid.IntRange(1, 6).Draw(t, "moves") {
			from := rapid.IntRange(0, len(want)-1).Draw(t, "from")
			c := stage.Change{Do: stage.MoveLine, System: "wall", List: "rules", Line: want[from]}
			to := len(want)
			if beside := rapid.IntRange(0, len(want)).Draw(t, "beside"); beside < len(want) {
				if to = beside; rapid.Bool().Draw(t, "after") {
					c.After = want[beside]
					to++
				} else {
					c.Before = want[beside]
				}
			}
			before := slices.Clone(want)
			if to == from || to == from+1 {
				require.ErrorContains(t, d.Apply(&c), "is there already")
				continue
			}
			require.NoError(t, d.Apply(&c))
			passed := before[min(from+1, to):max(from, to)]
			require.Equal(t, passed, d.Passed)
			moved := want[from]
			want = slices.Delete(want, from, from+1)
			if to > from {
				to--
			}
			want = slices.Insert(want, to, moved)
			names, now := order(t, d.Files)
			require.Equal(t, want, names)
			require.Equal(t, lines, now)
			all := string(d.Files[2].Content)
			for _, n := range names {
				require.Contains(t, all, fmt.Sprintf("  # about %s\n  - {name: %s,", n, n))
			}
		}
	})
}

// Joining and leaving, however often, comes to the members that a set would have: in the
// file, and in the map that is read from it; what is so already is refused.
func TestJoiningAndLeavingIsASet(t *testing.T) {
	all := []string{"dome/ilse", "dome/teo", "yard/bo"}
	rapid.Check(t, func(t *rapid.T) {
		b := rules(t, []string{"r1"})
		d := stage.NewDraft(b)
		in := map[string]map[string]bool{"dome/crew": {"dome/ilse": true}, "dome/bare": {}}
		for range rapid.IntRange(1, 8).Draw(t, "changes") {
			group, member := rapid.SampledFrom([]string{"dome/crew", "dome/bare"}).
				Draw(t, "group"),
				rapid.SampledFrom(all).
					Draw(t, "member")
			c := stage.Change{
				Do:     rapid.SampledFrom([]stage.Do{stage.Join, stage.Leave}).Draw(t, "do"),
				Group:  group,
				Member: member,
			}
			before := text(d.Files)
			err := d.Apply(&c)
			if joins := c.Do == stage.Join; joins == in[group][member] {
				require.Error(t, err, "%+v", c)
				require.Equal(t, before, text(d.Files))
				continue
			} else {
				require.NoError(t, err)
				in[group][member] = joins
			}
			m, err := mapfile.Parse(d.Files, types.Table, connectors.Kinds())
			require.NoError(t, err, text(d.Files))
			a, err := atlas.Compile(m)
			require.NoError(t, err)
			for group, want := range in {
				id, err := a.Book.FindGroup(group, "")
				require.NoError(t, err)
				var got, members []string
				for _, u := range a.Book.DirectMembers(id) {
					got = append(got, a.Book.UserName(u))
				}
				for u, is := range want {
					if is {
						members = append(members, u)
					}
				}
				slices.SortFunc(members, cmp.Compare)
				require.Equal(t, members, got, group)
			}
		}
	})
}

// Changes one after the other, and all at once, come to the same files.
func TestChangesAddUp(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		b := rules(t, []string{"r1", "r2", "r3"})
		changes := rapid.SliceOfNDistinct(rapid.SampledFrom([]stage.Change{
			{
				Do:     stage.Join,
				Group:  "crew",
				Member: "teo",
			}, {Do: stage.SetUser, User: "ilse", Attribute: "title", Value: []byte(`"Guard"`)},
			{
				Do:     stage.RemoveLine,
				System: "wall",
				List:   "rules",
				Line:   "r2",
			}, {Do: stage.MoveLine, System: "wall", List: "rules", Line: "r3", Before: "r1"},
			{
				Do:     stage.AddLine,
				System: "wall",
				List:   "rules",
				Value:  []byte(`{"name": "r4", "action": "refuse"}`),
			}, {Do: stage.RenameGroup, Group: "bare", To: "night"},
		}), 1, 6, func(c stage.Change) string { return string(c.Do) }).Draw(t, "changes")
		once := stage.NewDraft(b)
		require.NoError(t, once.ApplyAll(slices.Clone(changes)))
		one := stage.NewDraft(b)
		for _, c := range changes {
			require.NoError(t, one.Apply(&c))
			require.NotEmpty(t, c.Sentence())
		}
		require.Equal(t, text(once.Files), text(one.Files))
		require.NotEqual(t, text(b.Files), text(one.Files))
	})
}

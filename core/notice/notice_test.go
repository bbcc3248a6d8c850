package notice_test

import (
	"fmt"
	"maps"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/name"
	"gatemap/core/notice"
)

var noon = time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)

func drift(of, text string) notice.Standing {
	return notice.Standing{
		Topic: notice.Drift,
		Of:    of,
		Key:   "eve is in ops there",
		Text:  text,
		Turns: text,
		Fix:   "Take it away.",
	}
}

func TestWhatIsTold(t *testing.T) {
	d := &notice.Document{Name: "night"}
	one, two := drift("ledger", "one person"), drift("ledger", "two people")
	told, known := notice.Turned(d, nil, []notice.Standing{one}, noon)
	assert.Equal(
		t,
		[]notice.Notice{
			{
				Receiver: "night",
				Topic:    notice.Drift,
				Turn:     notice.Began,
				Of:       "ledger",
				Text:     "one person",
				Fix:      "Take it away.",
				Since:    noon,
				At:       noon,
			},
		},
		told,
	)

	told, known = notice.Turned(d, known, []notice.Standing{one}, noon.Add(time.Minute))
	assert.Empty(t, told, "it stands as it did")

	told, known = notice.Turned(d, known, []notice.Standing{two, two}, noon.Add(2*time.Minute))
	require.Len(t, told, 1, "what is there twice is told once")
	assert.Equal(
		t,
		[]any{notice.Changed, noon, "Changed: two people"},
		[]any{told[0].Turn, told[0].Since, told[0].Words()},
	)

	told, known = notice.Turned(d, known, []notice.Standing{drift("chart", "else")}, noon.Add(3*time.Minute))
	require.Len(t, told, 2)
	assert.Equal(t, []string{"Over: two people", "else"}, []string{told[0].Words(), told[1].Words()})
	assert.Empty(t, told[0].Fix, "there is nothing to do any more")
	assert.Equal(t, noon, told[0].Since)
	assert.Len(t, known, 1)
}

func TestWhoWantsWhat(t *testing.T) {
	stranger := notice.Standing{Topic: notice.Stranger, Of: "Ledger", Key: "mallory"}
	guarantee := notice.Standing{Topic: notice.Guarantee, Key: "no-one"}
	refs := []name.Ref{{Name: "ledger"}}
	for _, c := range []struct {
		d                    notice.Document
		stranger, guaranteed bool
	}{
		{notice.Document{}, true, true},
		{notice.Document{About: []notice.Topic{notice.Guarantee}}, false, true},
		{notice.Document{Systems: refs}, true, false},
		{notice.Document{Systems: refs, About: []notice.Topic{notice.Guarantee}}, false, false},
	} {
		assert.Equal(
			t,
			[]bool{c.stranger, c.guaranteed},
			[]bool{c.d.Wants(&stranger), c.d.Wants(&guarantee)},
			"%v",
			c.d,
		)
	}
	// What a receiver is not told of any more is not over.
	_, known := notice.Turned(&notice.Document{}, nil, []notice.Standing{stranger}, noon)
	told, known := notice.Turned(
		&notice.Document{About: []notice.Topic{notice.Audit}},
		known,
		[]notice.Standing{stranger},
		noon,
	)
	assert.Empty(t, told)
	assert.Empty(t, known)
}

// Whoever is told all notices in order knows at each moment what stands, and is never told the same
// twice.
func TestNoticesAddUpToWhatStands(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		d := &notice.Document{Name: "night"}
		if rapid.Bool().Draw(t, "limited") {
			d.Systems = []name.Ref{{Name: "a"}}
		}
		var known map[string]notice.Told
		heard := map[string]string{} // what one who is told knows: texts by topic, system and key
		key := func(topic notice.Topic, of, k string) string { return fmt.Sprint(topic, "/", of, "/", k) }
		for i := range rapid.IntRange(1, 8).Draw(t, "rounds") {
			stands := map[string]notice.Standing{}
			for range rapid.IntRange(0, 4).Draw(t, "stands") {
				s := notice.Standing{
					Topic: rapid.SampledFrom([]notice.Topic{notice.Drift, notice.Stranger}).Draw(t, "topic"),
					Of: rapid.SampledFrom([]string{"a", "b", ""}).
						Draw(t, "of"),
					Key: rapid.SampledFrom([]string{"x", "y"}).Draw(t, "key"),
				}
				s.Turns = rapid.SampledFrom([]string{"1", "2"}).Draw(t, "turns")
				s.Text = s.Key + " " + s.Turns
				stands[s.ID()] = s
			}
			var told []notice.Notice
			told, known = notice.Turned(
				d,
				known,
				slices.Collect(maps.Values(stands)),
				noon.Add(time.Duration(i)*time.Minute),
			)
			for _, n := range told {
				k := key(n.Topic, n.Of, n.Text[:1])
				was, knew := heard[k]
				switch n.Turn {
				case notice.Began:
					require.False(t, knew, "it is told once that it begins")
					heard[k] = n.Text
				case notice.Changed:
					require.True(t, knew)
					require.NotEqual(t, was, n.Text)
					heard[k] = n.Text
				case notice.Over:
					require.Equal(t, was, n.Text)
					delete(heard, k)
				}
			}
			want := map[string]string{}
			for _, s := range stands {
				if d.Wants(&s) {
					want[key(s.Topic, s.Of, s.Key)] = s.Text
				}
			}
			require.Equal(t, want, heard)
		}
	})
}

package connect_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
)

func drawRecords(t *rapid.T, label string) connect.Records {
	var r connect.Records
	for i := range 6 {
		n := fmt.Sprintf("n%d", i)
		if rapid.Bool().Draw(t, label+" upper") {
			n = fmt.Sprintf("N%d", i)
		}
		if rapid.Bool().Draw(t, label+" user") {
			u := &directory.User{Name: n}
			u.Active = rapid.SampledFrom([]*bool{nil, new(false), new(true)}).Draw(t, label+" active")
			if title := rapid.SampledFrom([]string{"", "a", "b"}).Draw(t, label+" title"); title != "" {
				require.NoError(t, u.Attributes.Set("title", title))
			}
			r.Users = append(r.Users, u)
		}
		if rapid.Bool().Draw(t, label+" group") {
			g := &directory.Group{Name: n, Members: &directory.Members{}}
			for m := range 4 {
				if rapid.Bool().Draw(t, label+" member") {
					g.Members.Any = append(g.Members.Any, name.Ref{Name: fmt.Sprintf("n%d", m)})
				}
			}
			r.Groups = append(r.Groups, g)
		}
	}
	return r
}

// What is settled is what came in; what did not change is what it was; and the
// delta accounts for every difference.
func TestSettle(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		before, now := drawRecords(t, "before"), drawRecords(t, "now")
		settled, d := connect.Settle(before, now)
		_, none := connect.Settle(settled, now)
		assert.True(t, none.Empty(), "settled is what came in: %+v", none)
		assert.Len(t, settled.Users, len(before.Users)-len(d.Left)+len(d.Joined))
		assert.Len(t, settled.Groups, len(before.Groups)-len(d.GoneGroups)+len(d.NewGroups))
		changed := map[*directory.User]bool{}
		for _, c := range d.Changed {
			changed[c.After] = true
			assert.NotEmpty(t, c.Fields)
		}
		for _, u := range d.Joined {
			changed[u] = true
		}
		was := map[*directory.User]bool{}
		for _, u := range before.Users {
			was[u] = true
		}
		for _, u := range settled.Users {
			assert.NotEqual(t, was[u], changed[u], "a user is the one before, or is told of")
		}
		again, same := connect.Settle(settled, settled)
		assert.True(t, same.Empty())
		assert.Equal(t, settled.Users, again.Users)
	})
}

// Records that are the same in memory, in whatever order, are settled as copies of them
// are, which are compared one by one; identifiers and letters that fold included.
func TestSettleOfSharedRecords(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		draw := func(n string) *directory.User {
			u := &directory.User{Name: n}
			if rapid.Bool().Draw(t, "identified") {
				u.ID = rapid.StringMatching("id-[0-3]").Draw(t, "id") + n
			}
			require.NoError(t, u.Attributes.Set("title", rapid.SampledFrom([]string{"a", "b"}).Draw(t, "title")))
			return u
		}
		all := []string{"kay", "\u212Aat", "Straße", "mia", "noor"}
		other := map[string]string{"kay": "\u212AAY", "\u212Aat": "kat", "Straße": "STRASSE", "mia": "Mia", "noor": "nooR"}
		var before, shared connect.Records
		for _, n := range all {
			u := draw(n)
			if rapid.IntRange(0, 3).Draw(t, "there before") > 0 {
				before.Users = append(before.Users, u)
			}
			switch rapid.IntRange(0, 4).Draw(t, "now") {
			case 0:
			case 1:
				shared.Users = append(shared.Users, draw(other[n]))
			default:
				shared.Users = append(shared.Users, u)
			}
		}
		shared.Users = rapid.Permutation(shared.Users).Draw(t, "in another order")
		var copied connect.Records
		for _, u := range shared.Users {
			c := *u
			copied.Users = append(copied.Users, &c)
		}
		want, wantDelta := connect.Settle(before, copied)
		got, delta := connect.Settle(before, shared)
		require.Equal(t, want, got)
		require.Equal(t, wantDelta, delta)
	})
}

// A patch of everything that differs makes the records what came in.
func TestWithAPatch(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		before, now := drawRecords(t, "before"), drawRecords(t, "now")
		_, d := connect.Settle(before, now)
		var p connect.Patch
		for _, u := range d.Left {
			p.Gone = append(p.Gone, connect.Gone{Named: connect.Named{Kind: connect.User, Name: u.Name}, ID: u.ID})
		}
		for _, g := range d.GoneGroups {
			p.Gone = append(p.Gone, connect.Gone{Named: connect.Named{Kind: connect.Group, Name: g.Name}, ID: g.ID})
		}
		p.Put.Users = append(p.Put.Users, d.Joined...)
		for _, c := range d.Changed {
			p.Put.Users = append(p.Put.Users, c.After)
		}
		p.Put.Groups = append(p.Put.Groups, d.NewGroups...)
		for _, c := range d.ChangedGroups {
			p.Put.Groups = append(p.Put.Groups, c.After)
		}
		_, left := connect.Settle(before.With(p), now)
		assert.True(t, left.Empty(), "%+v", left)
	})
}

func TestFieldsInWords(t *testing.T) {
	for want, f := range map[string]connect.Field{
		`title "a" becomes "b"`: {Attribute: "title", Before: "a", After: "b"}, `title is now "b"`: {Attribute: "title", After: "b"},
		`title "a" is gone`: {Attribute: "title", Before: "a"}, "members +2 -1": {Attribute: "members", Before: "-1", After: "+2"},
	} {
		assert.Equal(t, want, f.String())
	}
}

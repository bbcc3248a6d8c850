package connect_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"gatemap/connect"
	"gatemap/core/directory"
)

func holders(list []*directory.User) []string {
	var all []string
	for _, u := range list {
		all = append(all, strings.ToLower(u.Name)+"="+u.ID+" "+u.DN)
	}
	slices.Sort(all)
	return all
}

// Of several with one name the first holds it, whoever comes and goes, and the patches make
// of the records what the mirror holds: names are never at two, nor at the wrong one.
func TestAMirrorKeepsNamesApart(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		type claim struct{ id, name, dn string }
		var claims []claim // in the order in which they were made
		m, records := connect.NewMirror(), connect.Records{}
		for step := range rapid.IntRange(1, 12).Draw(t, "steps") {
			for range rapid.IntRange(1, 4).Draw(t, "batch") {
				id := fmt.Sprint("id", rapid.IntRange(0, 4).Draw(t, "id"))
				i := slices.IndexFunc(claims, func(c claim) bool { return c.id == id })
				if rapid.IntRange(0, 3).Draw(t, "gone") == 0 {
					m.Drop(connect.User, id)
					if i >= 0 {
						claims = slices.Delete(claims, i, i+1)
					}
					continue
				}
				c := claim{id, rapid.SampledFrom([]string{"a", "A", "b", "c"}).Draw(t, "name"), fmt.Sprint("cn=", id, step)}
				m.Put(connect.User, id, &connect.Records{Users: []*directory.User{{ID: id, Name: c.name, DN: c.dn}}})
				switch {
				case i >= 0 && strings.EqualFold(claims[i].name, c.name):
					claims[i] = c
				default:
					if i >= 0 {
						claims = slices.Delete(claims, i, i+1)
					}
					claims = append(claims, c)
				}
			}
			records = records.With(m.Patch())
			assert.Empty(t, m.Patch(), "what was told is told once")
			want, taken := []*directory.User{}, map[string]bool{}
			for _, c := range claims {
				if key := strings.ToLower(c.name); !taken[key] {
					taken[key] = true
					want = append(want, &directory.User{ID: c.id, Name: c.name, DN: c.dn})
				}
			}
			if got := holders(records.Users); !slices.Equal(got, holders(want)) {
				t.Fatalf("%v; wanted %v", got, holders(want))
			}
			if got := holders(m.Records().Users); !slices.Equal(got, holders(want)) {
				t.Fatalf("the mirror holds %v; wanted %v", got, holders(want))
			}
		}
	})
}

// A reading is compared with another by identifier: who swapped names is still who it was,
// and who bears the name of another is another.
func TestRecordsAreKnownByIdentifier(t *testing.T) {
	user := func(id, name string) *directory.User { return &directory.User{ID: id, Name: name} }
	before := connect.Records{
		Users: []*directory.User{user("1", "ilse"), user("2", "teo"), user("3", "bo"), user("", "old")},
	}
	now := connect.Records{
		Users: []*directory.User{user("1", "teo"), user("2", "ilse"), user("4", "bo"), user("5", "old")},
	}
	settled, d := connect.Settle(before, now)
	assert.Len(t, d.Changed, 2)
	for _, c := range d.Changed {
		assert.Equal(t, c.Before.ID, c.After.ID)
		assert.Equal(t, []connect.Field{{Attribute: "userName", Before: c.Before.Name, After: c.After.Name}}, c.Fields)
	}
	assert.Equal(t, []*directory.User{user("3", "bo")}, d.Left)
	assert.Equal(t, []*directory.User{user("4", "bo")}, d.Joined)
	assert.Equal(
		t,
		[]*directory.User{user("5", "old")},
		d.Identified.Users,
		"one that tells its identifier now is the same",
	)
	assert.Equal(t, holders(now.Users), holders(settled.Users))

	// By a patch: who comes second by a name never takes it over.
	after := before.With(
		connect.Patch{Put: connect.Records{Users: []*directory.User{user("6", "ilse"), user("2", "TEO")}}},
	)
	assert.Equal(t, []string{"bo=3 ", "ilse=1 ", "old= ", "teo=2 "}, holders(after.Users))
	assert.Len(t, after.Rejected, 1)
	assert.Contains(t, after.Rejected[0].Error(), `user "ilse" is there twice`)
	after = before.With(
		connect.Patch{Gone: []connect.Gone{{Named: connect.Named{Kind: connect.User, Name: "ilse"}, ID: "6"}}},
	)
	assert.Len(t, after.Users, 4, "another one by that name is gone, not this one")
	after = before.With(connect.Patch{Put: connect.Records{Users: []*directory.User{user("1", "teo"), user("2", "ilse")}}})
	assert.Equal(t, []string{"bo=3 ", "ilse=2 ", "old= ", "teo=1 "}, holders(after.Users), "two swap their names")
}

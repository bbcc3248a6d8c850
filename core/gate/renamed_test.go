package gate_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
)

func refs(names ...string) (list []name.Ref) {
	for _, n := range names {
		list = append(list, name.Ref{Name: n})
	}
	return list
}

// Lines that are for nobody any more go, with no other; what they were copied from stays.
func TestNarrowedDocuments(t *testing.T) {
	d := &roles.Document{Mappings: []roles.Mapping{
		{Who: gate.Who{Users: refs("ilse")}},
		{Who: gate.Who{Users: refs("ilse", "bram"), Except: &directory.People{Users: refs("ilse")}}},
		{Who: gate.Who{Everyone: true}},
		{Who: gate.Who{Users: refs("bram"), Groups: refs("crew")}},
	}}
	without := func(gone string) *roles.Document {
		return gate.Narrowed(d, func(w *gate.Who) {
			var rest []name.Ref
			for _, u := range w.Users {
				if u.Name != gone {
					rest = append(rest, u)
				}
			}
			w.Users = rest
		}).(*roles.Document)
	}
	assert.Equal(t, []roles.Mapping{
		{
			Who: gate.Who{Users: refs("bram"), Except: &directory.People{Users: refs("ilse")}},
		}, {Who: gate.Who{Everyone: true}}, {Who: gate.Who{Users: refs("bram"), Groups: refs("crew")}},
	}, without("ilse").Mappings)
	assert.Len(t, without("bram").Mappings, 4)
	assert.Len(t, d.Mappings, 4)
	assert.Len(t, d.Mappings[1].Users, 2)
}

// Whom a document names is looked at without a copy: the same as what is rewritten.
func TestInspectedDocuments(t *testing.T) {
	d := &roles.Document{
		Roles: map[string]*roles.Role{"reader": {}},
		Mappings: []roles.Mapping{
			{Who: gate.Who{Users: refs("ilse"), Groups: refs("crew")}},
			{Who: gate.Who{Everyone: true, Except: &directory.People{Users: refs("bram"), Groups: refs("night")}}},
		},
	}
	var seen, rewritten []string
	look := func(into *[]string) (func(*gate.Who), func(*directory.People)) {
		note := func(lists ...[]name.Ref) {
			for _, list := range lists {
				for _, r := range list {
					*into = append(*into, r.Name)
				}
			}
		}
		return func(w *gate.Who) { note(w.Users, w.Groups) }, func(p *directory.People) { note(p.Users, p.Groups) }
	}
	who, people := look(&seen)
	gate.Inspect(d, who, people)
	who, people = look(&rewritten)
	gate.Rewritten(d, who, people)
	assert.Equal(t, []string{"ilse", "crew", "bram", "night"}, seen)
	assert.Equal(t, rewritten, seen)
}

package gate_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
)

// Lines that are for nobody any more go, with no other; what they were copied from stays.
func TestNarrowedDocuments(t *testing.T) {
	refs := func(names ...string) (list []name.Ref) {
		for _, n := range names {
			list = append(list, name.Ref{Name: n})
		}
		return list
	}
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

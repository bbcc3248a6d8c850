package mapfile

import (
	"embed"
	"io/fs"
	"slices"
	"sync"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

//go:embed tables
var shipped embed.FS

// attributeTable is a document that says how the entries of many sources become
// users, groups and devices.
type attributeTable struct {
	Place   place.Place            `yaml:"-"`
	Name    string                 `yaml:"table,required" doc:"The name of the attribute table."`
	Users   *directory.UserTable   `yaml:"users" doc:"Which entries are users."`
	Groups  *directory.GroupTable  `yaml:"groups" doc:"Which entries are groups."`
	Devices *directory.DeviceTable `yaml:"devices" doc:"Which entries are devices."`
}

func (r *Reading) find(named string) *attributeTable {
	i := slices.IndexFunc(r.tables, func(t *attributeTable) bool { return name.Equal(t.Name, named) })
	if i < 0 {
		return nil
	}
	return r.tables[i]
}

// shippedTables are the attribute tables that are part of the program.
var shippedTables = sync.OnceValue(func() []*attributeTable {
	files, err := fs.Glob(shipped, "tables/*.yaml")
	if err != nil {
		panic(err) // the pattern is constant
	}
	var errs place.Errors
	r := reader{part: &part{}, errs: &errs}
	for _, f := range files {
		content, err := shipped.ReadFile(f)
		if err != nil {
			panic(err) // it has just been listed
		}
		r.file(File{f, content})
	}
	if err := errs.Err(); err != nil {
		panic(err) // they are tested
	}
	return r.tables
})

// fill fills what the source of a directory leaves open from the table that it
// names, in a copy.
func (r *Reading) fill(d *directory.Document, errs *place.Errors) *directory.Document {
	if d.Source == nil || d.Source.Table.Value == "" {
		return d
	}
	named := d.Source.Table
	t := r.find(named.Value)
	if t == nil {
		errs.Addf(
			named.Place,
			"there is no attribute table %q%s",
			named.Value,
			name.DidYouMean(name.Near(named.Value, func(yield func(string) bool) {
				for _, t := range r.tables {
					if !yield(t.Name) {
						return
					}
				}
			})),
		)
		return d
	}
	filled, source := *d, *d.Source
	source.Users, source.Groups, source.Devices = copied(source.Users), copied(source.Groups), copied(source.Devices)
	source.Over(&directory.Source{Users: copied(t.Users), Groups: copied(t.Groups), Devices: copied(t.Devices)})
	filled.Source = &source
	return &filled
}

func copied[T any](x *T) *T {
	if x == nil {
		return nil
	}
	y := *x
	return &y
}

package mapfile

import (
	"embed"
	"io/fs"
	"reflect"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

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

func (r *reader) table(d *decoder, root *yaml.Node) {
	t := &attributeTable{}
	d.structs(root, "the table", reflect.ValueOf(t).Elem())
	if r.find(t.Name) != nil {
		d.fail(root, "there is an attribute table %s already", t.Name)
		return
	}
	r.tables = append(r.tables, t)
}

func (r *reader) find(named string) *attributeTable {
	i := slices.IndexFunc(r.tables, func(t *attributeTable) bool { return strings.EqualFold(t.Name, named) })
	if i < 0 {
		return nil
	}
	return r.tables[i]
}

// shippedTables reads the attribute tables that are part of the program.
func (r *reader) shippedTables() {
	files, err := fs.Glob(shipped, "tables/*.yaml")
	if err != nil {
		panic(err) // the pattern is constant
	}
	for _, f := range files {
		content, err := shipped.ReadFile(f)
		if err != nil {
			panic(err) // it has just been listed
		}
		r.file(File{f, content})
	}
}

// applyTables fills what sources leave open from the tables that they name.
func (r *reader) applyTables() {
	for _, d := range r.m.Directories {
		if d.Source == nil || d.Source.Table.Value == "" {
			continue
		}
		named := d.Source.Table
		t := r.find(named.Value)
		if t == nil {
			r.errs.Addf(named.Place, "there is no attribute table %q%s", named.Value, name.DidYouMean(name.Near(named.Value, func(yield func(string) bool) {
				for _, t := range r.tables {
					if !yield(t.Name) {
						return
					}
				}
			})))
			continue
		}
		d.Source.Over(&directory.Source{Users: copied(t.Users), Groups: copied(t.Groups), Devices: copied(t.Devices)})
	}
}

func copied[T any](x *T) *T {
	if x == nil {
		return nil
	}
	y := *x
	return &y
}

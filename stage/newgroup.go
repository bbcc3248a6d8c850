package stage

import (
	"cmp"
	"fmt"
	"maps"
	"slices"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// recordOf is the record of a group that a source has, or is to have; nil where there is none.
func (d *Draft) recordOf(dir, own string) *directory.Group {
	for _, g := range d.Records[dir].Groups {
		if name.Equal(g.Name, own) {
			return g
		}
	}
	return nil
}

// recordGroup adds a new group to the records of a source: with a description, and members by name.
func (d *Draft) recordGroup(c *Change, x *directory.Document, own string, values map[string]any) error {
	if err := name.Check(own); err != nil {
		return err
	}
	g := &directory.Group{Name: own, Members: &directory.Members{}}
	if table := x.Source.Groups; table != nil {
		place := cmp.Or(c.To, connect.GroupPlace(x.Source))
		if place == "" {
			return fmt.Errorf(
				"it is not clear below which entry the group is put: say so with to, or with new_groups: {place: "+
					"…} in the source of %s",
				x.Name,
			)
		}
		if _, ok := name.DN(place); !ok {
			return fmt.Errorf("to is the distinguished name of what the group is put below, not %q", place)
		}
		g.DN = rdnOf(table.Name) + "=" + name.EscapeDN(own) + "," + place
	} else if c.To != "" {
		return fmt.Errorf("%s takes a place (to) only where groups stand in a tree; directory %s has none", c.Do, x.Name)
	}
	for _, key := range slices.Sorted(maps.Keys(values)) {
		var ok bool
		switch key {
		case "description":
			if g.Description, ok = values[key].(string); !ok {
				return fmt.Errorf("description is text")
			}
		case "members":
			if err := d.newMembers(g, x.Name, values[key]); err != nil {
				return err
			}
		default:
			return fmt.Errorf(
				"a group that is made where directory %s comes from has a description and members; it has no %s there",
				x.Name,
				key,
			)
		}
	}
	r := d.Records[x.Name]
	r.Groups = append(slices.Clone(r.Groups), g)
	d.Records[x.Name] = r
	d.touch(x.Name, connect.Group, own)
	return nil
}

// newMembers puts members into a new group.
func (d *Draft) newMembers(g *directory.Group, dir string, value any) error {
	lists, ok := value.(map[string]any)
	if !ok {
		return fmt.Errorf("members is {users: [NAME, …], groups: [NAME, …]}")
	}
	for _, kind := range slices.Sorted(maps.Keys(lists)) {
		names, isList := lists[kind].([]any)
		if !slices.Contains([]string{"users", "groups", "devices"}, kind) || !isList {
			return fmt.Errorf("members is {users: [NAME, …], groups: [NAME, …]}")
		}
		for _, n := range names {
			named, _ := n.(string)
			who, err := d.one(named)
			if err != nil {
				return err
			}
			if who.kind != kind {
				return fmt.Errorf("%s is one of the %s, and stands among the %s", who.full, who.kind, kind)
			}
			g.Members.Any = append(g.Members.Any, name.Ref{Name: who.referenceIn(dir)})
		}
	}
	return nil
}

// writesGroups says that groups of a directory are made and removed where they come from.
func writesGroups(x *directory.Document) bool {
	return x != nil && x.Source != nil && slices.Contains(x.Source.Write, directory.WriteGroups)
}

// unlist takes a group that is removed where it comes from out of the groups there that list it: some
// servers do that themselves.
func (d *Draft) unlist(g *group) {
	if !writesGroups(d.directory(g.dir)) {
		return
	}
	who := &one{"groups", g.full, g.dir, g.record.Name, g.record.DN}
	is := func(r name.Ref) bool { return who.isReferredTo(r.Name, g.dir) }
	for _, other := range slices.Clone(d.Records[g.dir].Groups) {
		if other == g.record || other.Members == nil || !slices.ContainsFunc(other.Members.Any, is) {
			continue
		}
		now, members := *other, *other.Members
		members.Any = slices.DeleteFunc(slices.Clone(members.Any), is)
		now.Members = &members
		d.putGroup(g.dir, other, &now)
	}
}

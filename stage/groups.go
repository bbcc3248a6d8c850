package stage

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/mapfile"
)

// group is a group to be changed: in the records of a source, or in a file.
type group struct {
	full, dir string
	record    *directory.Group // nil: in the file
	text      *mapfile.Text
	at        mapfile.Spot
}

// group finds a group.
func (d *Draft) group(named string) (*group, error) {
	g := &group{}
	if full, ok, err := d.isFresh(named); err != nil {
		return nil, err
	} else if ok {
		dir, own, _ := strings.Cut(full, "/")
		g.full, g.dir = full, dir
		if g.record = d.recordOf(dir, own); g.record != nil {
			return g, nil
		}
		return g, d.write(g, own)
	}
	id, err := d.base.Book.FindGroup(named, "")
	if err != nil {
		return nil, err
	}
	g.full, g.dir = d.base.Book.GroupName(id), d.base.Book.GroupHome(id)
	if d.gone[name.Fold(g.full)] {
		return nil, fmt.Errorf("an earlier change removes the group %s", g.full)
	}
	old := d.base.Book.Group(id)
	if i := stands(d.Records[g.dir].Groups, old, func(x *directory.Group) bool {
		return name.Equal(x.Name, old.Name)
	}); i >= 0 {
		g.record = d.Records[g.dir].Groups[i]
		return g, nil
	}
	return g, d.write(g, old.Name)
}

// write finds the place of a group in its file.
func (d *Draft) write(g *group, own string) (err error) {
	g.text, g.at, err = d.inline(g.dir, "groups", "name", own)
	return err
}

// isFresh says whether a name means a group that an earlier change made. The error is a
// *directory.NotFoundError where it may mean another as well.
func (d *Draft) isFresh(named string) (full string, ok bool, err error) {
	if strings.Contains(named, "/") {
		full, ok = d.fresh[name.Fold(named)]
		return full, ok, nil
	}
	all := d.called(named)
	for _, one := range all {
		if _, made := d.fresh[name.Fold(one)]; made {
			full, ok = one, true
		}
	}
	if ok && len(all) > 1 {
		return "", false, &directory.NotFoundError{Kind: "group", Name: named, Candidates: all}
	}
	return full, ok, nil
}

// stood says whether the base has a group by a full name that no change took away.
func (d *Draft) stood(full string) bool {
	_, err := d.base.Book.LookGroup(full, "")
	return err == nil && !d.gone[name.Fold(full)]
}

// called are the full names of the groups that have a name in their directories.
func (d *Draft) called(own string) (all []string) {
	for _, x := range d.base.Map.Directories {
		full := x.Name + "/" + own
		if made, is := d.fresh[name.Fold(full)]; is {
			all = append(all, made)
		} else if d.stood(full) {
			all = append(all, full)
		}
	}
	return all
}

// put puts another record in the place of that of a group.
func (d *Draft) putGroup(dir string, old, now *directory.Group) {
	r := d.Records[dir]
	r.Groups = slices.Clone(r.Groups)
	r.Groups[slices.Index(r.Groups, old)] = now
	d.Records[dir] = r
	d.touch(dir, connect.Group, now.Name)
}

// GroupFields are the fields of a group that can be set.
var GroupFields = []string{"description", "kind", "members_from", "usable_in", "host", "rule", "managers", "expect"}

func (d *Draft) setGroup(c *Change) error {
	if !slices.Contains(GroupFields, c.Field) {
		return fmt.Errorf("a group has no %s to set; it has %s", c.Field, strings.Join(GroupFields, ", "))
	}
	g, err := d.group(c.Group)
	if err != nil {
		return err
	}
	c.Group = g.full
	if g.record == nil {
		return d.setKey(&c.Was, c.Value, g.text, g.at, c.Field, c.Field+" of "+g.full)
	}
	now := *g.record
	var is string
	text := ""
	if len(c.Value) > 0 && string(c.Value) != "null" && c.Field != "managers" {
		if text, err = c.text(); err != nil {
			return err
		}
	}
	switch c.Field {
	case "description":
		is, now.Description = now.Description, text
	case "kind":
		is, now.Kind = string(now.Kind), directory.Kind(text)
		err = oneOf(text, now.Kind.Values())
	case "members_from":
		is, now.MembersFrom = string(now.MembersFrom), directory.MembersFrom(text)
		err = oneOf(text, now.MembersFrom.Values())
	case "usable_in":
		is, now.UsableIn = string(now.UsableIn), directory.UsableIn(text)
		err = oneOf(text, now.UsableIn.Values())
	case "host":
		is, now.Host = now.Host, text
	case "managers":
		is, now.Managers, err = managers(now.Managers, c.Value)
	default:
		return fmt.Errorf(
			"group %s comes from the source of directory %s, which has no %s; create a group in the map for that",
			g.full,
			g.dir,
			c.Field,
		)
	}
	if err != nil {
		return fmt.Errorf("%s: %w", c.Field, err)
	}
	if err := same(&c.Was, is, c.Field+" of "+g.full); err != nil {
		return err
	}
	if c.Field != "managers" && is == text {
		return fmt.Errorf("%s of %s is %s already", c.Field, g.full, orNothing(is))
	}
	d.putGroup(g.dir, g.record, &now)
	return nil
}

func oneOf(text string, allowed []string) error {
	if text != "" && !slices.Contains(allowed, text) {
		return fmt.Errorf("%q is none of %s", text, strings.Join(allowed, ", "))
	}
	return nil
}

// managers reads who manages a group: users alone, as sources have it.
func managers(old *directory.People, raw json.RawMessage) (was string, now *directory.People, err error) {
	var names []string
	if old != nil {
		for _, r := range old.Users {
			names = append(names, r.Name)
		}
	}
	was = strings.Join(names, ", ")
	var given struct {
		Users []string `json:"users"`
	}
	if len(raw) > 0 {
		if err := json.Unmarshal(raw, &given); err != nil {
			return was, nil, fmt.Errorf("the value is {users: [NAME, …]}")
		}
	}
	now = &directory.People{}
	for _, n := range given.Users {
		now.Users = append(now.Users, name.Ref{Name: n})
	}
	return was, now, nil
}

// createGroup makes a group: in the records of a source whose groups are written there, else in the file
// of its directory. One with a rule is always in the file: a server knows none.
func (d *Draft) createGroup(c *Change) error {
	dir, own, full := strings.Cut(c.Group, "/")
	if !full || own == "" {
		return fmt.Errorf("write the new group with its directory, such as cindervale/new-group")
	}
	home := d.directory(dir)
	if home != nil {
		dir = home.Name
	}
	c.Group = dir + "/" + own
	if _, again := d.fresh[name.Fold(c.Group)]; again || d.stood(c.Group) {
		return moved("there is a group %s already", c.Group)
	}
	values, err := c.attributes()
	if err != nil {
		return err
	}
	_, ruled := values["rule"]
	if writesGroups(home) && !ruled {
		err = d.recordGroup(c, home, own, values)
	} else if c.To != "" {
		err = fmt.Errorf("%s takes a place (to) only where a directory server has the groups (write: "+
			"groups), and the group has no rule", c.Do)
	} else {
		err = d.enter(c, dir, "groups", mapfile.KeyValue("name", mapfile.TextValue(own)))
	}
	if err != nil {
		return err
	}
	d.fresh[name.Fold(c.Group)] = c.Group
	c.noted()
	return nil
}

// enter puts a new record, with what the change gives it besides, into a list of the file of a directory.
func (d *Draft) enter(c *Change, dir, list string, v mapfile.Value) error {
	t, at, err := d.find("directory " + dir)
	if err != nil {
		return err
	}
	more, ok, err := c.value()
	if err != nil {
		return err
	}
	if ok {
		if v, err = v.With(more); err != nil {
			return err
		}
	}
	if records, there := t.Key(at, list); there {
		t, err = t.Insert(records, t.Size(records), "", v)
	} else {
		t, err = t.Insert(at, t.Size(at), list, mapfile.ListValue(v))
	}
	return d.putting(t, err)
}

// removeGroup takes a group out of the file of its directory.
func (d *Draft) removeGroup(c *Change) error {
	g, err := d.group(c.Group)
	if err != nil {
		return err
	}
	c.Group = g.full
	if g.record != nil {
		return d.dropRecord(c, g)
	}
	if err := same(&c.Was, g.text.Flow(g.at), "the group "+g.full); err != nil {
		return err
	}
	t, err := g.text.Remove(g.at)
	delete(d.fresh, name.Fold(g.full))
	d.gone[name.Fold(g.full)] = true
	return d.putting(t, err)
}

// dropRecord is removeGroup for the record of a source.
func (d *Draft) dropRecord(c *Change, g *group) error {
	body, err := d.base.Codec.Write(d.Records[g.dir], connect.Named{Kind: connect.Group, Name: g.record.Name})
	if err != nil {
		return err
	}
	if err := same(&c.Was, sum(body), "the group "+g.full); err != nil {
		return err
	}
	d.unlist(g)
	r := d.Records[g.dir]
	r.Groups = slices.DeleteFunc(slices.Clone(r.Groups), func(x *directory.Group) bool { return x == g.record })
	r.Resources = withResource(r.Resources, connect.Named{Kind: connect.Group, Name: g.record.Name}, nil)
	d.Records[g.dir] = r
	d.touch(g.dir, connect.Group, g.record.Name)
	delete(d.fresh, name.Fold(g.full))
	d.gone[name.Fold(g.full)] = true
	return nil
}

package stage

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/mapfile"
)

// setUser gives an attribute of a user another value, or takes it away: in the
// record that decides it.
func (d *Draft) setUser(c *Change) error {
	id, err := d.base.Book.FindUser(c.User, "")
	if err != nil {
		return err
	}
	c.User = d.base.Book.UserName(id)
	home, u := d.base.Book.UserHome(id), d.base.Book.User(id)
	value, err := plain(c.Value)
	if err != nil {
		return err
	}
	if _, err := u.Altered(c.Attribute, value); err != nil {
		return fmt.Errorf("%s: %w", c.Attribute, err)
	}
	if feed, record := d.fed(home, u, c.Attribute); record != nil {
		return d.setRecord(c, feed, record, value)
	}
	if i := stands(d.Records[home].Users, u, func(x *directory.User) bool { return name.Equal(x.Name, u.Name) }); i >= 0 {
		return d.setRecord(c, home, d.Records[home].Users[i], value)
	}
	t, at, err := d.inline(home, "users", "userName", u.Name)
	if err != nil {
		return err
	}
	return d.setKey(&c.Was, c.Value, t, at, c.Attribute, c.Attribute+" of "+c.User)
}

// stands finds a record in a list: itself, or, where a change before or a feed has put
// another in its place, the one by its name.
func stands[T any](list []*T, record *T, named func(*T) bool) int {
	if i := slices.Index(list, record); i >= 0 {
		return i
	}
	return slices.IndexFunc(list, named)
}

// fed finds the record of another source that decides an attribute of a user.
func (d *Draft) fed(home string, u *directory.User, attribute string) (feed string, record *directory.User) {
	for _, x := range d.base.Map.Directories {
		if x.Source == nil || x.Source.Feeds == nil || !name.Equal(x.Source.Feeds.Directory.Name, home) ||
			!slices.ContainsFunc(x.Source.Feeds.Decides, func(a string) bool { return strings.EqualFold(a, attribute) }) {
			continue
		}
		if record := connect.Joined(x.Source.Feeds, u, d.Records[x.Name].Users); record != nil {
			return x.Name, record
		}
	}
	return "", nil
}

// setRecord sets an attribute in the record of a source.
func (d *Draft) setRecord(c *Change, dir string, record *directory.User, value any) error {
	if err := same(&c.Was, attributeText(record, c.Attribute), c.Attribute+" of "+c.User); err != nil {
		return err
	}
	now, err := record.Altered(c.Attribute, value)
	if err == nil {
		now, err = d.shaped(dir, now)
	}
	if err != nil {
		return err
	}
	if attributeText(now, c.Attribute) == *c.Was {
		return fmt.Errorf("%s of %s is %s already", c.Attribute, c.User, orNothing(*c.Was))
	}
	d.putUser(dir, record, now)
	return nil
}

// shaped is a user of a source as that brings in one with these attributes.
func (d *Draft) shaped(dir string, u *directory.User) (*directory.User, error) {
	home := d.directory(dir)
	if home == nil {
		return u, nil
	}
	if from, writes := connect.Of(home.Source).(connect.Writer); writes {
		return from.Shape(u)
	}
	return u, nil
}

// attributeText writes the values of an attribute as an entry of a file would be.
func attributeText(u *directory.User, attribute string) string {
	var value any
	switch name.Fold(attribute) {
	case "ACTIVE":
		value = u.IsActive()
	case "EXPIRES":
		if u.Expires.IsZero() {
			return ""
		}
		value = u.Expires
	default:
		plain := u.Attributes.Plain()
		for k, v := range plain {
			if strings.EqualFold(k, attribute) {
				value = v
			}
		}
		if value == nil {
			value = partOf(plain, attribute)
		}
		if value == nil {
			return ""
		}
	}
	raw, err := json.Marshal(value)
	if err != nil {
		return fmt.Sprint(value)
	}
	v, err := mapfile.ParseValue(string(raw))
	if err != nil {
		return string(raw)
	}
	return v.String()
}

// partOf is a part of an attribute, such as name.familyName; nil where there is none.
func partOf(plain map[string]any, attribute string) any {
	whole, part, _ := strings.Cut(attribute, ".")
	for k, v := range plain {
		inner, has := v.(map[string]any)
		if !has || !strings.EqualFold(k, whole) {
			continue
		}
		for k, v := range inner {
			if strings.EqualFold(k, part) {
				return v
			}
		}
	}
	return nil
}

// setKey gives a key of a record in a file another value.
func (d *Draft) setKey(was **string, raw json.RawMessage, t *mapfile.Text, at mapfile.Spot, key, what string) error {
	for _, k := range t.Keys(at) {
		if strings.EqualFold(k, key) {
			key = k
		}
	}
	spot, there := t.Key(at, key)
	is := ""
	if there {
		is = t.Flow(spot)
	}
	if err := same(was, is, what); err != nil {
		return err
	}
	v, given, err := (&Change{Value: raw}).value()
	switch {
	case err != nil:
		return err
	case given && there && v.String() == is:
		return fmt.Errorf("%s is %s already", what, is)
	case given && there:
		t, err = t.Replace(spot, v)
	case given:
		t, err = t.Insert(at, t.Size(at), key, v)
	case there:
		t, err = t.Remove(spot)
	default:
		return fmt.Errorf("%s is empty already", what)
	}
	if err == nil {
		d.put(t)
	}
	return err
}

// inline finds a record that a file of the map lists.
func (d *Draft) inline(dir, list, key, named string) (*mapfile.Text, mapfile.Spot, error) {
	t, at, err := d.find("directory " + dir)
	if err != nil {
		return nil, nil, err
	}
	if records, ok := t.Key(at, list); ok {
		for i := range t.Size(records) {
			spot := records.At(i)
			if k, ok := t.Key(spot, key); ok && name.Equal(t.Name(k), named) {
				return t, spot, nil
			}
		}
	}
	return nil, nil, moved("directory %s no longer lists %s", dir, named)
}

// plain reads a JSON value with its numbers as they are written.
func plain(raw json.RawMessage) (value any, err error) {
	if len(raw) == 0 {
		return nil, nil
	}
	in := json.NewDecoder(bytes.NewReader(raw))
	in.UseNumber()
	if err := in.Decode(&value); err != nil {
		return nil, fmt.Errorf("the value is not JSON: %w", err)
	}
	return value, nil
}

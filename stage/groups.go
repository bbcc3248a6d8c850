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
	if full, ok := d.isFresh(named); ok {
		dir, own, _ := strings.Cut(full, "/")
		g.full, g.dir = full, dir
		return g, d.write(g, own)
	}
	id, err := d.base.Book.FindGroup(named, "")
	if err != nil {
		return nil, err
	}
	g.full, g.dir = d.base.Book.GroupName(id), d.base.Book.GroupHome(id)
	if d.gone[name.Fold(g.full)] {
		return nil, fmt.Errorf("a change before this one takes the group %s away", g.full)
	}
	old := d.base.Book.Group(id)
	if i := slices.IndexFunc(d.Records[g.dir].Groups, func(x *directory.Group) bool { return x == old || strings.EqualFold(x.Name, old.Name) }); i >= 0 {
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

func (d *Draft) isFresh(named string) (full string, ok bool) {
	folded := name.Fold(named)
	for full := range d.fresh {
		if name.Fold(full) == folded || strings.HasSuffix(name.Fold(full), "/"+folded) {
			return full, true
		}
	}
	return "", false
}

// put puts another record in the place of that of a group.
func (d *Draft) putGroup(dir string, old, now *directory.Group) {
	r := d.Records[dir]
	r.Groups = slices.Clone(r.Groups)
	r.Groups[slices.Index(r.Groups, old)] = now
	d.Records[dir] = r
	d.touch(dir, connect.Group, now.Name)
}

// one is a user, group or device that is a member.
type one struct {
	kind, full, dir, own, dn string
}

// one finds who is meant as a member.
func (d *Draft) one(named string) (*one, error) {
	b := d.base.Book
	if full, ok := d.isFresh(named); ok {
		dir, own, _ := strings.Cut(full, "/")
		return &one{"groups", full, dir, own, ""}, nil
	}
	if u, err := b.LookUser(named, ""); err == nil {
		return &one{"users", b.UserName(u), b.UserHome(u), b.User(u).Name, b.User(u).DN}, nil
	}
	if g, err := b.LookGroup(named, ""); err == nil {
		return &one{"groups", b.GroupName(g), b.GroupHome(g), b.Group(g).Name, b.Group(g).DN}, nil
	}
	if x, err := b.FindDevice(named, ""); err == nil {
		dir, own, _ := strings.Cut(b.DeviceName(x), "/")
		return &one{"devices", b.DeviceName(x), dir, own, b.Device(x).DN}, nil
	}
	_, err := b.FindUser(named, "")
	return nil, err
}

// isReferredTo says whether a reference, read in a directory, is to this one.
func (o *one) isReferredTo(ref, home string) bool {
	switch {
	case strings.Contains(ref, "="):
		return o.dn != "" && (ref == o.dn || sameDN(ref, o.dn))
	case strings.Contains(ref, "/"):
		return strings.EqualFold(ref, o.full)
	}
	return strings.EqualFold(o.dir, home) && strings.EqualFold(ref, o.own)
}

func sameDN(a, b string) bool {
	x, ok := name.DN(a)
	y, also := name.DN(b)
	return ok && also && x == y
}

// member puts a member into a group, or takes it out.
func (d *Draft) member(c *Change) error {
	g, err := d.group(c.Group)
	if err != nil {
		return err
	}
	who, err := d.one(c.Member)
	if err != nil {
		return err
	}
	c.Group, c.Member = g.full, who.full
	if g.record != nil {
		return d.memberOfRecord(c, g, who)
	}
	if rule, ok := g.text.Key(g.at, "rule"); ok {
		return fmt.Errorf("the rule of group %s says who is in it: %s; change the rule, or what the person is", g.full, g.text.Flow(rule))
	}
	t := g.text
	ref := mapfile.TextValue(who.own)
	if !strings.EqualFold(who.dir, g.dir) {
		ref = mapfile.TextValue(who.full)
	}
	members, ok := t.Key(g.at, "members")
	if !ok || t.Keys(members) == nil {
		if c.Do == Leave {
			return d.notListed(c, g, who)
		}
		v := mapfile.KeyValue(who.kind, mapfile.ListValue(ref))
		if ok {
			t, err = t.Replace(members, v)
		} else {
			t, err = t.Insert(g.at, t.Size(g.at), "members", v)
		}
		return d.putting(t, err)
	}
	list, ok := t.Key(members, who.kind)
	at := -1
	if ok && t.IsList(list) {
		for i := range t.Size(list) {
			if who.isReferredTo(t.Name(list.At(i)), g.dir) {
				at = i
			}
		}
	}
	switch {
	case c.Do == Join && at >= 0:
		return d.listedAlready(c)
	case c.Do == Join && !ok:
		t, err = t.Insert(members, t.Size(members), who.kind, mapfile.ListValue(ref))
	case c.Do == Join:
		t, err = t.Insert(list, t.Size(list), "", ref)
	case at < 0:
		return d.notListed(c, g, who)
	default:
		t, err = t.Remove(list.At(at))
	}
	if err == nil {
		c.noted()
	}
	return d.putting(t, err)
}

// noted marks a change as one that was made before: what stops it now has moved.
func (c *Change) noted() {
	if c.Was == nil {
		none := ""
		c.Was = &none
	}
}

func (d *Draft) putting(t *mapfile.Text, err error) error {
	if err == nil {
		d.put(t)
	}
	return err
}

func (d *Draft) listedAlready(c *Change) error {
	if c.Was != nil {
		return moved("group %s lists %s by now", c.Group, c.Member)
	}
	return fmt.Errorf("group %s lists %s already", c.Group, c.Member)
}

// notListed says why someone cannot be taken out of a group, and what can be done.
func (d *Draft) notListed(c *Change, g *group, who *one) error {
	if c.Was != nil {
		return moved("group %s does not list %s any more", g.full, who.full)
	}
	b := d.base.Book
	u, err := b.LookUser(who.full, "")
	id, groupErr := b.LookGroup(g.full, "")
	if err != nil || groupErr != nil || who.kind != "users" || !b.Subject(u).In(id) {
		return fmt.Errorf("group %s does not list %s", g.full, who.full)
	}
	subject := b.Subject(u)
	path := subject.Path(id)
	names := make([]string, len(path))
	for i, step := range path {
		names[i] = b.GroupName(step.Group)
	}
	switch first := path[0]; {
	case len(path) == 1 && first.How == directory.ByRule:
		return fmt.Errorf("%s is in group %s by its rule (%s): change the rule, or what the person is", who.full, g.full, b.Group(id).Rule.Text)
	case len(path) == 1:
		return fmt.Errorf("%s is in group %s as the primary group of the account: set primary_group of the user instead", who.full, g.full)
	default:
		return fmt.Errorf("%s is in group %s by way of %s: take the person out of %s, take %s out of %s, or let the mapping except the person",
			who.full, g.full, strings.Join(names, " → "), names[0], names[len(names)-2], g.full)
	}
}

// memberOfRecord is member for the record of a source.
func (d *Draft) memberOfRecord(c *Change, g *group, who *one) error {
	now := *g.record
	members := directory.Members{}
	if g.record.Members != nil {
		members = *g.record.Members
	}
	is := func(r name.Ref) bool { return who.isReferredTo(r.Name, g.dir) }
	at := slices.IndexFunc(members.Any, is)
	if c.Do == Join {
		if at >= 0 {
			return d.listedAlready(c)
		}
		ref := who.dn
		if ref == "" {
			ref = who.full
		}
		members.Any = append(slices.Clone(members.Any), name.Ref{Name: ref, Place: g.record.Place})
	} else {
		if at < 0 {
			return d.notListed(c, g, who)
		}
		members.Any = slices.DeleteFunc(slices.Clone(members.Any), is)
	}
	now.Members = &members
	c.noted()
	d.putGroup(g.dir, g.record, &now)
	return nil
}

// groupFields are what can be set of a group.
var groupFields = []string{"description", "kind", "draws", "opens", "host", "rule", "managers", "expect"}

func (d *Draft) setGroup(c *Change) error {
	if !slices.Contains(groupFields, c.Field) {
		return fmt.Errorf("a group has no %s to set; it has %s", c.Field, strings.Join(groupFields, ", "))
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
	case "draws":
		is, now.Draws = string(now.Draws), directory.Draws(text)
		err = oneOf(text, now.Draws.Values())
	case "opens":
		is, now.Opens = string(now.Opens), directory.Opens(text)
		err = oneOf(text, now.Opens.Values())
	case "host":
		is, now.Host = now.Host, text
	case "managers":
		is, now.Managers, err = managers(now.Managers, c.Value)
	default:
		return fmt.Errorf("group %s comes from the source of directory %s, which has no %s; create a group in the map for that", g.full, g.dir, c.Field)
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

// createGroup puts a new group into the file of its directory.
func (d *Draft) createGroup(c *Change) error {
	dir, own, full := strings.Cut(c.Group, "/")
	if !full || own == "" {
		return fmt.Errorf("write the new group with its directory, such as cindervale/new-group")
	}
	for _, x := range d.base.Map.Directories {
		if strings.EqualFold(x.Name, dir) {
			dir = x.Name
		}
	}
	c.Group = dir + "/" + own
	_, err := d.base.Book.LookGroup(c.Group, "")
	if _, again := d.isFresh(c.Group); again || err == nil && !d.gone[name.Fold(c.Group)] {
		return moved("there is a group %s already", c.Group)
	}
	t, at, err := d.find("directory " + dir)
	if err != nil {
		return err
	}
	v := mapfile.KeyValue("name", mapfile.TextValue(own))
	more, ok, err := c.value()
	if err != nil {
		return err
	}
	if ok {
		if v, err = v.With(more); err != nil {
			return err
		}
	}
	if groups, there := t.Key(at, "groups"); there {
		t, err = t.Insert(groups, t.Size(groups), "", v)
	} else {
		t, err = t.Insert(at, t.Size(at), "groups", mapfile.ListValue(v))
	}
	d.fresh[c.Group] = true
	c.noted()
	return d.putting(t, err)
}

// dropGroup takes a group out of the file of its directory.
func (d *Draft) dropGroup(c *Change) error {
	g, err := d.group(c.Group)
	if err != nil {
		return err
	}
	c.Group = g.full
	if g.record != nil {
		return fmt.Errorf("group %s comes from the source of directory %s: remove it there", g.full, g.dir)
	}
	if err := same(&c.Was, g.text.Flow(g.at), "the group "+g.full); err != nil {
		return err
	}
	t, err := g.text.Remove(g.at)
	delete(d.fresh, g.full)
	d.gone[name.Fold(g.full)] = true
	return d.putting(t, err)
}

// renameGroup gives a group another name, there and wherever the files name it.
func (d *Draft) renameGroup(c *Change) error {
	g, err := d.group(c.Group)
	if err != nil {
		return err
	}
	if g.record != nil {
		return fmt.Errorf("group %s comes from the source of directory %s: rename it there", g.full, g.dir)
	}
	if strings.Contains(c.To, "/") || strings.TrimSpace(c.To) == "" {
		return fmt.Errorf("the new name is written without its directory, and without a slash")
	}
	c.Group = g.full
	to := g.dir + "/" + c.To
	if _, err := d.base.Book.LookGroup(to, ""); err == nil && !strings.EqualFold(to, g.full) {
		return moved("there is a group %s already", to)
	}
	own := strings.TrimPrefix(g.full, g.dir+"/")
	spot, _ := g.text.Key(g.at, "name")
	t, err := g.text.Replace(spot, mapfile.TextValue(c.To))
	if err != nil {
		return err
	}
	d.put(t)
	c.noted()
	d.gone[name.Fold(g.full)] = true
	d.fresh[to] = true
	who := &one{"groups", g.full, g.dir, own, ""}
	_, err = d.base.Book.LookGroup(own, "")
	alone := err == nil // a bare name means this group everywhere
	for _, f := range slices.Clone(d.Files) {
		if !strings.Contains(strings.ToLower(string(f.Content)), strings.ToLower(own)) {
			continue
		}
		if err := d.renameIn(f.Path, who, c.To, alone); err != nil {
			return err
		}
	}
	return nil
}

// renameIn writes the new name of a group in a file.
func (d *Draft) renameIn(path string, who *one, to string, alone bool) error {
	t, err := d.open(path)
	if err != nil {
		return err
	}
	type place struct {
		at    mapfile.Spot
		write string
	}
	var places []place
	for _, key := range []string{"groups", "device_groups"} {
		t.Named(key, func(kind, document string, at mapfile.Spot, named string) {
			home := ""
			switch {
			case kind == "directory":
				home = document
			case alone:
				home = who.dir
			}
			if who.isReferredTo(named, home) {
				write := to
				if strings.Contains(named, "/") {
					write = who.dir + "/" + to
				}
				places = append(places, place{at, write})
			}
		})
	}
	for _, p := range places {
		if t, err = t.Replace(p.at, mapfile.TextValue(p.write)); err != nil {
			return err
		}
	}
	d.put(t)
	return nil
}

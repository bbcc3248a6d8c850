package stage

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/mapfile"
)

// one is a user, group or device that is a member.
type one struct {
	kind, full, dir, own, dn string
}

// one finds who is meant as a member.
func (d *Draft) one(named string) (*one, error) {
	b := d.base.Book
	if full, ok, err := d.isFresh(named); err != nil {
		return nil, err
	} else if ok {
		dir, own, _ := strings.Cut(full, "/")
		dn := ""
		if g := d.recordOf(dir, own); g != nil {
			dn = g.DN
		}
		return &one{"groups", full, dir, own, dn}, nil
	}
	if full, made := d.people[name.Fold(named)]; made {
		dir, own, _ := strings.Cut(full, "/")
		return &one{"users", full, dir, own, d.placeOf(dir, own)}, nil
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

// placeOf is the distinguished name of the record of a user; "" where there is none.
func (d *Draft) placeOf(dir, own string) string {
	for _, u := range d.Records[dir].Users {
		if name.Equal(u.Name, own) {
			return u.DN
		}
	}
	return ""
}

// isReferredTo says whether a reference, read in a directory, is to this one.
func (o *one) isReferredTo(ref, home string) bool {
	switch {
	case strings.Contains(ref, "="):
		return o.dn != "" && (ref == o.dn || sameDN(ref, o.dn))
	case strings.Contains(ref, "/"):
		return name.Equal(ref, o.full)
	}
	return name.Equal(o.dir, home) && name.Equal(ref, o.own)
}

// referenceIn is how a record of a source in a directory refers to this one.
func (o *one) referenceIn(home string) string {
	if o.dn == "" && name.Equal(o.dir, home) && !strings.ContainsAny(o.own, "=/") {
		return o.own
	}
	return cmp.Or(o.dn, o.full)
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
		return fmt.Errorf("the rule of group %s decides who is in it: %s; change the rule, or the person's attributes",
			g.full, g.text.Flow(rule))
	}
	t := g.text
	ref := mapfile.TextValue(who.own)
	if !name.Equal(who.dir, g.dir) {
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
		return moved("group %s now lists %s", c.Group, c.Member)
	}
	return fmt.Errorf("group %s lists %s already", c.Group, c.Member)
}

// notListed says why someone cannot be taken out of a group, and what can be done.
func (d *Draft) notListed(c *Change, g *group, who *one) error {
	if c.Was != nil {
		return moved("group %s no longer lists %s", g.full, who.full)
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
		return fmt.Errorf("%s is in group %s by its rule (%s): change the rule, or the person's attributes", who.full, g.full,
			b.Group(id).Rule.Text)
	case len(path) == 1:
		return fmt.Errorf("%s is in group %s as the primary group of the account: set primary_group of the user instead",
			who.full, g.full)
	default:
		return fmt.Errorf("%s is in group %s through %s: remove the person from %s, remove %s from %s, "+
			"or add the person to the exceptions of the line",
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
	there := slices.ContainsFunc(members.Any, is) || who.kind == "users" && slices.ContainsFunc(members.Users, is)
	switch {
	case c.Do == Join && there:
		return d.listedAlready(c)
	case c.Do == Join && d.listsLogins(g):
		if who.kind != "users" || !name.Equal(who.dir, g.dir) {
			return fmt.Errorf("group %s lists login names of %s alone, and %s has none", g.full, g.dir, who.full)
		}
		members.Users = append(slices.Clone(members.Users), name.Ref{Name: who.own, Place: g.record.Place})
	case c.Do == Join:
		members.Any = append(slices.Clone(members.Any), name.Ref{Name: who.referenceIn(g.dir), Place: g.record.Place})
	case !there:
		return d.notListed(c, g, who)
	default:
		members.Any = slices.DeleteFunc(slices.Clone(members.Any), is)
		if who.kind == "users" {
			members.Users = slices.DeleteFunc(slices.Clone(members.Users), is)
		}
	}
	now.Members = &members
	c.noted()
	d.putGroup(g.dir, g.record, &now)
	return nil
}

// listsLogins says whether a group's source lists its members by login name alone (RFC 2307).
func (d *Draft) listsLogins(g *group) bool {
	m := g.record.Members
	if m != nil && len(m.Any)+len(m.Users) > 0 {
		return len(m.Any) == 0
	}
	home := d.directory(g.dir)
	if home == nil || home.Source == nil || home.Source.Groups == nil {
		return false
	}
	return !slices.ContainsFunc(home.Source.Groups.Members, func(attribute string) bool {
		return !strings.EqualFold(attribute, "memberUid")
	})
}

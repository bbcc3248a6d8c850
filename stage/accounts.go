package stage

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/mapfile"
)

// createUser makes an account: in the records of a source whose accounts are written there, else in
// the file of its directory.
func (d *Draft) createUser(c *Change) error {
	x, own, err := d.homeOf(c.User)
	if err != nil {
		return err
	}
	c.User = name.Full(x.Name, own)
	_, again := d.people[name.Fold(c.User)]
	if _, err := d.base.Book.LookUser(c.User, ""); err == nil || again {
		return moved("there is a user %s already", c.User)
	}
	if x.Source == nil {
		if c.To != "" {
			return fmt.Errorf(
				"%s takes a place (to) only where a directory server has the accounts; directory %s lists its users in the map",
				c.Do,
				x.Name,
			)
		}
		err = d.enter(c, x.Name, "users", mapfile.KeyValue("userName", mapfile.TextValue(own)))
	} else {
		err = d.recordUser(c, x, own)
	}
	if err == nil {
		d.people[name.Fold(c.User)] = c.User
		c.noted()
	}
	return err
}

// homeOf is the directory of a new account, and what it is called there.
func (d *Draft) homeOf(full string) (x *directory.Document, own string, err error) {
	dir, own, ok := strings.Cut(full, "/")
	if !ok || own == "" {
		return nil, "", fmt.Errorf("write the new user with the directory, such as cindervale/new.user")
	}
	if err := name.Check(own); err != nil {
		return nil, "", err
	}
	if x = d.directory(dir); x == nil {
		return nil, "", &directory.NotFoundError{Kind: "directory", Name: dir}
	}
	return x, own, nil
}

// directory is the directory of a name; nil if there is none.
func (d *Draft) directory(named string) *directory.Document {
	for _, x := range d.base.Map.Directories {
		if name.Equal(x.Name, named) {
			return x
		}
	}
	return nil
}

// recordUser adds a new user to the records of a source.
func (d *Draft) recordUser(c *Change, x *directory.Document, own string) error {
	if !slices.Contains(x.Source.Write, directory.WriteUsers) {
		return fmt.Errorf(
			"the users of directory %s come from its source, which does not say write: users; make the account there",
			x.Name,
		)
	}
	u := &directory.User{Name: own}
	if table := x.Source.Users; table != nil {
		if err := c.isPlace(); err != nil {
			return err
		}
		u.DN = rdnOf(table.Name) + "=" + name.EscapeDN(own) + "," + c.To
	} else if c.To != "" {
		return fmt.Errorf("%s takes a place (to) only where accounts stand in a tree; directory %s has none", c.Do, x.Name)
	}
	values, err := c.attributes()
	if err != nil {
		return err
	}
	for _, attribute := range slices.Sorted(maps.Keys(values)) {
		var err error
		if u, err = u.Altered(attribute, values[attribute]); err != nil {
			return fmt.Errorf("%s: %w", attribute, err)
		}
	}
	if u, err = d.shaped(x.Name, u); err != nil {
		return err
	}
	r := d.Records[x.Name]
	r.Users = append(slices.Clone(r.Users), u)
	d.Records[x.Name] = r
	d.touch(x.Name, connect.User, own)
	return nil
}

// attributes are those of a new user or group.
func (c *Change) attributes() (map[string]any, error) {
	raw, err := plain(c.Value)
	if err != nil || raw == nil {
		return nil, err
	}
	values, ok := raw.(map[string]any)
	if !ok {
		return nil, fmt.Errorf("the value is a set of attributes")
	}
	return values, nil
}

// isPlace sees that an account can be put below what the change says.
func (c *Change) isPlace() error {
	if _, ok := name.DN(c.To); !ok {
		return fmt.Errorf("to is the distinguished name of what the account is put below, not %q", c.To)
	}
	return nil
}

// rdnOf is the attribute by which the entries of new users and groups are called: that of their names, but for
// a domain controller's, which is not one of the distinguished name.
func rdnOf(named string) string {
	if strings.EqualFold(named, "sAMAccountName") || strings.EqualFold(named, "userPrincipalName") {
		return "CN"
	}
	return named
}

// account finds the record of an account that a source has.
func (d *Draft) account(c *Change) (id directory.UserID, u *directory.User, err error) {
	if id, err = d.base.Book.FindUser(c.User, ""); err != nil {
		return id, nil, err
	}
	c.User, u = d.base.Book.UserName(id), d.base.Book.User(id)
	list := d.Records[d.base.Book.UserHome(id)].Users
	i := stands(list, u, func(x *directory.User) bool { return name.Equal(x.Name, u.Name) })
	if i < 0 {
		return id, nil, fmt.Errorf("%s is listed in the map itself, and has no account at a directory server", c.User)
	}
	return id, list[i], nil
}

// putUser puts a record of an account in the place of another.
func (d *Draft) putUser(home string, old, now *directory.User) {
	r := d.Records[home]
	r.Users = slices.Clone(r.Users)
	r.Users[slices.Index(r.Users, old)] = now
	d.Records[home] = r
	d.touch(home, connect.User, now.Name)
}

// moveUser puts an account below another entry, and the new distinguished name where groups list it.
func (d *Draft) moveUser(c *Change) error {
	id, u, err := d.account(c)
	if err != nil {
		return err
	}
	if err := c.isPlace(); err != nil {
		return err
	}
	own, above := name.CutDN(u.DN)
	if above == "" {
		return fmt.Errorf("%s stands in no tree, so that it cannot be moved", c.User)
	}
	if err := same(&c.Was, above, "what "+c.User+" stands below"); err != nil {
		return err
	}
	if sameDN(above, c.To) {
		return fmt.Errorf("%s stands below %s already", c.User, above)
	}
	now := *u
	now.DN = own + "," + c.To
	d.putUser(d.base.Book.UserHome(id), u, &now)
	subject := d.base.Book.Subject(id)
	for _, in := range subject.Groups() {
		if subject.How(in) == directory.Direct {
			d.relist(in, u.DN, now.DN)
		}
	}
	return nil
}

// relist writes another distinguished name in the place of one that a group lists.
func (d *Draft) relist(in directory.GroupID, was, is string) {
	home, old := d.base.Book.GroupHome(in), d.base.Book.Group(in)
	list := d.Records[home].Groups
	at := stands(list, old, func(x *directory.Group) bool { return name.Equal(x.Name, old.Name) })
	if at < 0 {
		return // a file lists users by their names
	}
	now := *list[at]
	members := *now.Members
	members.Any = slices.Clone(members.Any)
	now.Members = &members
	for i, ref := range now.Members.Any {
		if ref.Name == was || sameDN(ref.Name, was) {
			now.Members.Any[i].Name = is
		}
	}
	d.putGroup(home, list[at], &now)
}

// switchUser switches an account on or off, whatever a feed says of the person.
func (d *Draft) switchUser(c *Change) error {
	id, u, err := d.account(c)
	if err != nil {
		return err
	}
	to, err := c.onOrOff()
	if err != nil {
		return err
	}
	is := map[bool]string{true: "on", false: "off"}[u.IsActive()]
	if err := same(&c.Was, is, "the account "+c.User); err != nil {
		return err
	}
	if is == to {
		return fmt.Errorf("the account %s is %s already", c.User, to)
	}
	now, err := u.Altered("active", to == "on")
	if err == nil {
		d.putUser(d.base.Book.UserHome(id), u, now)
	}
	return err
}

// ofAccount is the sentence of a change of an account.
func (c *Change) ofAccount() string {
	switch c.Do {
	case CreateUser:
		return c.ofNew("user", c.User)
	case MoveUser:
		return fmt.Sprintf("Moves %s below %s%s.", c.User, c.To, c.was())
	}
	return fmt.Sprintf("Switches the account %s %s.", c.User, c.shownText())
}

// ofNew is the sentence of a change that makes a user or a group.
func (c *Change) ofNew(kind, full string) string {
	text := "Creates the " + kind + " " + full
	if c.To != "" {
		text += " below " + c.To
	}
	if v := c.shown(); v != "nothing" {
		text += " with " + v
	}
	return text + "."
}

package connect

import (
	"cmp"
	"maps"
	"slices"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Records are what a source brings in.
type Records struct {
	Users   []*directory.User
	Groups  []*directory.Group
	Devices []*directory.Device
	// Rejected are the entries that were meant, but cannot be taken.
	Rejected []place.Error
	// Resources are the records as they were pushed, where they were.
	Resources map[Named][]byte

	// What bears a name that another record before it has, and was rejected for that.
	waiting struct {
		users   []waiting[directory.User]
		groups  []waiting[directory.Group]
		devices []waiting[directory.Device]
	}
}

// waiting is a record that was rejected, and how that is told.
type waiting[T any] struct {
	record *T
	told   place.Error
}

func (r *Records) reject(at place.Place, format string, args ...any) {
	r.Rejected = append(r.Rejected, *place.Errorf(at, format, args...))
}

// Tables are the compiled tables of a source. They take entries one by one.
type Tables struct {
	source   *directory.Source
	strict   bool // what is rejected keeps a map folder from loading
	users    *userTable
	groups   *groupTable
	devices  *deviceTable
	numbers  map[string]string   // the distinguished names of groups by their numbers
	several  map[string][]string // by number, where several groups have it
	numbered map[string]*Records // the readings in which they were told
	logins   map[string]bool     // the names of users, folded
	aliases  map[string]string   // further values of the attribute of the name, folded, with the names
}

type (
	userTable struct {
		*directory.UserTable
		picked   picked
		disabled Match
	}
	groupTable struct {
		*directory.GroupTable
		picked      picked
		kinds       []choice[directory.Kind]
		membersFrom []choice[directory.MembersFrom]
		usableIn    []choice[directory.UsableIn]
	}
	deviceTable struct {
		*directory.DeviceTable
		picked             picked
		managed, compliant Match
	}
)

// NewTables compiles the tables of a source. What is wrong with them goes to
// errs. Which entries of a directory server are meant is left to the server.
func NewTables(source *directory.Source, errs *place.Errors) *Tables {
	follows(source, errs)
	writes(source, errs)
	newAccounts(source, errs)
	newGroups(source, errs)
	d := Of(source)
	c := compiler{errs, d != nil && d.Connector().Selects}
	t := &Tables{
		source: source, strict: d == nil || d.Connector().Strict,
		numbers: map[string]string{}, several: map[string][]string{}, numbered: map[string]*Records{},
		logins: map[string]bool{}, aliases: map[string]string{},
	}
	if u := source.Users; u != nil {
		t.users = &userTable{u, c.picked(&u.Pick, u.Place, "users"), c.filter(u.Disabled, "disabled")}
	}
	if g := source.Groups; g != nil {
		t.groups = &groupTable{
			g, c.picked(&g.Pick, g.Place, "groups"),
			choices(c, g.Kind, "kind"), choices(c, g.MembersFrom, "members_from"), choices(c, g.UsableIn, "usable_in"),
		}
		if len(g.Members) == 0 {
			errs.Addf(g.Place, "groups needs the key members: the attributes that list members")
		}
	}
	if d := source.Devices; d != nil {
		t.devices = &deviceTable{
			d,
			c.picked(&d.Pick, d.Place, "devices"),
			c.filter(d.Managed, "managed"),
			c.filter(d.Compliant, "compliant"),
		}
	}
	typed := d != nil && d.Connector().Typed
	if typed && (source.Users != nil || source.Groups != nil || source.Devices != nil) {
		errs.Addf(
			source.Place,
			"users, groups and devices are not for %s: its records are users and groups as they come",
			d.Connector().Name,
		)
	}
	if source.Feeds != nil && !typed {
		if t.users == nil || source.Groups != nil || source.Devices != nil {
			errs.Addf(source.Place, "a source that feeds has the key users, and neither groups nor devices")
		}
	}
	return t
}

// Take adds what an entry is to the records.
func (t *Tables) Take(e *Entry, to *Records) {
	if !e.prepare() {
		to.reject(e.Place, "%q is not a distinguished name (RFC 4514)", e.DN)
		return
	}
	if t.users != nil && t.users.picked.means(e) {
		t.TakeUser(e, to)
	}
	if t.groups != nil && t.groups.picked.means(e) {
		t.TakeGroup(e, to)
	}
	if t.devices != nil && t.devices.picked.means(e) {
		t.TakeDevice(e, to)
	}
}

// named is the name and the identifier of an entry that is meant; one without a name, or
// without its key, is rejected.
func named(e *Entry, p *picked, to *Records) (n, id string, ok bool) {
	if id, ok = e.Identity(), true; p.Key != "" {
		if id = e.First(p.Key).Value; id == "" {
			to.reject(
				e.Place,
				"entry %q is one of those meant, but has no %s, which is to identify it",
				cmp.Or(e.DN, e.First(p.Name).Value),
				p.Key,
			)
			return "", "", false
		}
	}
	n = e.First(p.Name).Value
	if n == "" {
		to.reject(e.Place, "entry %q is one of those meant, but has no %s to be its name", e.DN, p.Name)
		return "", "", false
	}
	if err := name.Check(n); err != nil {
		to.reject(e.Place, "entry %q: %s: %v", e.DN, p.Name, err)
		return "", "", false
	}
	return n, id, ok
}

// compiler compiles the parts of tables.
type compiler struct {
	errs    *place.Errors
	selects bool // the entries come selected
}

// filter compiles a filter of a table; a missing one gives nil.
func (c compiler) filter(f place.Text, key string) Match {
	if f.Value == "" {
		return nil
	}
	m, err := CompileFilter(f.Value)
	if err != nil {
		c.errs.Addf(f.Place, "%s: %v", key, err)
	}
	return m
}

// picked says which entries are meant.
type picked struct {
	*directory.Pick
	bases []base
	match Match
}

type base struct {
	canonical string
	scope     directory.Scope
}

func (c compiler) picked(p *directory.Pick, at place.Place, key string) picked {
	compiled := picked{Pick: p}
	if p.Name == "" {
		c.errs.Addf(at, "%s needs the key name: the attribute that holds the name", key)
	}
	if c.selects {
		if p.Key != "" {
			c.errs.Addf(at, "%s: key is for files; a directory server says itself what identifies an entry", key)
		}
		return compiled
	}
	for _, b := range p.Base {
		canonical, ok := name.DN(b.Value)
		if !ok {
			c.errs.Addf(b.Place, "base: %q is not a distinguished name (RFC 4514)", b.Value)
		}
		compiled.bases = append(compiled.bases, base{canonical, b.Scope})
	}
	compiled.match = c.filter(p.Filter, "filter")
	return compiled
}

// means says whether an entry is meant: without a filter, those that have the
// attribute of the name.
func (p *picked) means(e *Entry) bool {
	if len(p.bases) > 0 && !slices.ContainsFunc(p.bases, func(b base) bool { return e.within(b.canonical, b.scope) }) {
		return false
	}
	if p.match == nil {
		return e.First(p.Name).Value != ""
	}
	return p.match(e)
}

// choice is a value that an entry has where a filter holds.
type choice[T any] struct {
	value T
	match Match
}

func choices[T ~string](c compiler, table map[T]place.Text, key string) []choice[T] {
	var all []choice[T]
	for _, value := range slices.Sorted(maps.Keys(table)) {
		if m := c.filter(table[value], key); m != nil {
			all = append(all, choice[T]{value, m})
		}
	}
	return all
}

func choose[T ~string](all []choice[T], e *Entry) T {
	for _, c := range all {
		if c.match(e) {
			return c.value
		}
	}
	return ""
}

// Kind says what an entry is taken for.
type Kind uint8

// The kinds, in the order in which they are read.
const (
	User Kind = iota
	Group
	Device
)

func (k Kind) String() string { return [...]string{"user", "group", "device"}[k] }

// ParseKind is the Kind that String writes so.
func ParseKind(text string) (k Kind, ok bool) {
	for k = User; k <= Device; k++ {
		if k.String() == text {
			return k, true
		}
	}
	return 0, false
}

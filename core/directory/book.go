package directory

import (
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"gatemap/core/finding"
	"gatemap/core/name"
	"gatemap/core/place"
)

// UserID, GroupID and DeviceID number the records of a book, each from 0 in
// the order of their full names.
type (
	UserID   uint32
	GroupID  uint32
	DeviceID uint32
)

// How says in which way someone is a member.
type How string

// The ways, the plainest first.
const (
	Direct  How = "direct"
	Primary How = "primary"
	ByRule  How = "rule"
	Nested  How = "nested"
)

// Book is every directory of a map put together: who is a member of what.
// It is immutable once built and safe for use by many.
type Book struct {
	directories []*Document
	folded      []string          // names of the directories
	exact       []map[string]bool // by directory
	users       recordList[User]
	groups      recordList[Group]
	devices     recordList[Device]
	byDN        dnIndex
	bases       func() [][]string // of the directories, in canonical form

	userGroups    lists[link] // by user: the groups that hold the user directly
	groupUsers    lists[link] // the other way round
	nesting       *nesting
	reshaped      []GroupID
	dns           map[string]object // of what came since the book was built, by the canonical form
	within        effective
	deviceIn      [][]GroupID          // by device
	devicePrimary map[DeviceID]GroupID // where the device's record alone names it
	attributes    map[string]int       // how many users have each
	bounded       []uint64             // a bit for each user: whether the account is inactive or expires
	rules         *rules
	findings      []finding.Finding
	found         map[GroupID][]finding.Finding // in the records of groups
	managers      map[GroupID]Party
	primaries     map[string]bool // the groups that records of users name, as written
	worked        *sync.Map       // by key, as func() any: what follows from the records of users
	textsMade     sync.Mutex
	texts         atomic.Pointer[Texts]

	// base and changed say from which book this one was edited; once another is
	// edited from this one, the base is let go.
	base    atomic.Pointer[Book]
	changed []UserID
}

// Party is a set of users and groups.
type Party struct {
	Users  []UserID
	Groups []GroupID
}

// Build puts directories together. What cannot be used at all goes to errs;
// what can be left out becomes a finding.
func Build(docs []*Document, errs *place.Errors) *Book {
	b := &Book{
		directories: docs,
		bases:       sync.OnceValue(func() [][]string { return basesOf(docs) }),
		worked:      &sync.Map{},
		managers:    map[GroupID]Party{},
		found:       map[GroupID][]finding.Finding{},
	}
	for _, d := range docs {
		b.folded = append(b.folded, name.Fold(d.Name))
	}
	b.checkDirectories(errs)
	b.users = fill("user", docs, func(d *Document) []*User { return d.Users },
		func(u *User) (string, place.Place) { return u.Name, u.Place }, errs)
	b.groups = fill("group", docs, func(d *Document) []*Group { return d.Groups },
		func(g *Group) (string, place.Place) { return g.Name, g.Place }, errs)
	b.devices = fill("device", docs, func(d *Document) []*Device { return d.Devices },
		func(d *Device) (string, place.Place) { return d.Name, d.Place }, errs)
	b.indexDNs(errs)
	for _, g := range b.groups.records {
		checkGroup(g, errs)
	}
	for _, d := range docs {
		exact := map[string]bool{}
		for _, a := range d.Exact {
			exact[name.Fold(a)] = true
		}
		b.exact = append(b.exact, exact)
	}
	b.link()
	return b
}

func (b *Book) checkDirectories(errs *place.Errors) {
	seen := map[string]place.Place{}
	for _, d := range b.directories {
		if strings.ContainsAny(d.Name, "/") || d.Name == "" {
			errs.Addf(d.Place, "a directory's name is not empty and has no slash in it")
		}
		if first, twice := seen[name.Fold(d.Name)]; twice {
			errs.Addf(d.Place, "directory %s is in the map twice; it is also at %s", d.Name, first)
		}
		seen[name.Fold(d.Name)] = d.Place
	}
}

func checkGroup(g *Group, errs *place.Errors) {
	m := g.Members
	if g.Rule != nil && m != nil && len(m.Users)+len(m.Groups)+len(m.Devices)+len(m.Any) > 0 {
		errs.Addf(g.Place, "group %s has a rule and lists members: it can have one or the other", g.Name)
	}
	switch {
	case g.UsableIn == "host" && g.Host == "":
		errs.Addf(g.Place, "group %s is usable_in: host and so needs the key host: the system in which it counts", g.Name)
	case g.UsableIn != "host" && g.Host != "":
		errs.Addf(g.Place, "group %s names a host system, which counts only with usable_in: host", g.Name)
	}
}

// Users, Groups and Devices count the numbers of records: what went has one too (see
// AllUsers, AllGroups).
func (b *Book) Users() int   { return len(b.users.records) }
func (b *Book) Groups() int  { return len(b.groups.records) }
func (b *Book) Devices() int { return len(b.devices.records) }

// Directories are the documents that the book was built from.
func (b *Book) Directories() []*Document { return b.directories }

// User, Group and Device give a record by its number.
func (b *Book) User(id UserID) *User       { return b.users.records[id] }
func (b *Book) Group(id GroupID) *Group    { return b.groups.records[id] }
func (b *Book) Device(id DeviceID) *Device { return b.devices.records[id] }

// UserName, GroupName and DeviceName give a full name, directory/name.
func (b *Book) UserName(id UserID) string     { return b.users.full[id] }
func (b *Book) GroupName(id GroupID) string   { return b.groups.full[id] }
func (b *Book) DeviceName(id DeviceID) string { return b.devices.full[id] }

// Bounded says whether a user's account is switched off, or has an end.
func (b *Book) Bounded(id UserID) bool { return b.bounded[id/64]&(1<<(id%64)) != 0 }

// Active says whether a user's account is switched on.
func (b *Book) Active(id UserID) bool { return !b.Bounded(id) || b.User(id).IsActive() }

// HomeOf gives the number of a user's directory, as in Directories.
func (b *Book) HomeOf(id UserID) int { return int(b.users.home[id]) }

// UserHome and GroupHome give the name of the directory of a record.
func (b *Book) UserHome(id UserID) string   { return b.directories[b.users.home[id]].Name }
func (b *Book) GroupHome(id GroupID) string { return b.directories[b.groups.home[id]].Name }

// Managers gives those who may change the members of a group.
func (b *Book) Managers(id GroupID) Party { return b.managers[id] }

// Manages says whether a user may change the members of a group: named as its manager, or a
// member of a group that is.
func (b *Book) Manages(u UserID, g GroupID) bool {
	p := b.Managers(g)
	return slices.Contains(p.Users, u) ||
		slices.ContainsFunc(p.Groups, func(by GroupID) bool { return b.Subject(u).In(by) })
}

// once gives what work makes, which is done once for each key: something that
// follows from the records of users alone, so that books with the same users share it.
func (b *Book) once(key any, work func() any) any {
	made, known := b.worked.Load(key)
	if !known {
		made, _ = b.worked.LoadOrStore(key, sync.OnceValue(work))
	}
	return made.(func() any)()
}

// Findings are what was found while the directories were put together.
func (b *Book) Findings() []finding.Finding {
	var all []finding.Finding
	for _, g := range b.InOrder(slices.Sorted(maps.Keys(b.found))) {
		all = append(all, b.found[g]...)
	}
	return append(all, b.findings...)
}

// Package files is the gate type of shares with two locks (docs/model.md section
// 5.6): the door of the share, and the entries of the folders behind it.
package files

import (
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/place"
	"gatemap/core/rule"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "files",
	Doc:  "Shares with two locks: the door and the folder.",
	New:  func() gate.Document { return &Document{} },

	Declare: declare, Holding: holding,
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Shares []Share `yaml:"shares,required" doc:"The shares."`
}

// Share is a folder tree that can be reached by a name.
type Share struct {
	Place   place.Place `yaml:"-"`
	Share   place.Text  `yaml:"share,required" doc:"The name of the share."`
	Path    string      `yaml:"path" doc:"Where it lies on its host."`
	Door    []Entry     `yaml:"door" doc:"Who may do what through the share: allowed by an entry and denied by none."`
	Folders []Folder    `yaml:"folders" doc:"The folders that have entries of their own."`
}

// Folder is a folder with entries of its own.
type Folder struct {
	Place    place.Place `yaml:"-"`
	Path     place.Text  `yaml:"path,required" doc:"Its path in the share, from /."`
	Inherits *bool       `yaml:"inherits" doc:"false: takes no entries from above."`
	Entries  []Entry     `yaml:"entries" doc:"Who may do what here and below."`
}

// Entry allows or denies rights.
type Entry struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	Allow    []Grant `yaml:"allow" doc:"What is allowed."`
	Deny     []Grant `yaml:"deny" doc:"What is denied."`
}

// Grant is a right, or a name for several of them.
type Grant string

// Values lists the rights and the names for several.
func (Grant) Values() []string {
	return []string{"list", "read", "write", "delete", "manage", "reader", "editor", "full"}
}

// rights are the rights of an entitlement, in the order of listings.
var rights = []string{"delete", "list", "manage", "read", "write"}

var bundles = map[Grant][]string{
	"reader": {"list", "read"}, "editor": {"list", "read", "write", "delete"}, "full": rights,
}

// grants is a bit for each right, by its place in rights.
type grants uint8

func bitsOf(list []Grant) (all grants) {
	for i, right := range rights {
		for _, g := range list {
			if string(g) == right || slices.Contains(bundles[g], right) {
				all |= 1 << i
			}
		}
	}
	return all
}

func (g grants) has(right int) bool { return g&(1<<right) != 0 }

// compiled is the compiled gate.
type compiled struct {
	*rule.Listing
	gate.NotInFront
	shares []share // by name
}

type share struct {
	name    string
	door    []entry
	folders []folder // by path
}

type folder struct {
	path      string
	object    string // share:/path
	declared  bool
	parent    int // -1: takes nothing from above
	entries   []entry
	decisions []*rule.Decision // by right
}

// entry is one side of an entry: what it allows, or what it denies.
type entry struct {
	*rule.Rule
	grant grants
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	c := &compiled{Listing: rule.NewListing(s.System.Name, &s.Index)}
	for i := range d.Shares {
		c.shares = append(c.shares, compileShare(s, &d.Shares[i]))
	}
	slices.SortStableFunc(c.shares, func(a, b share) int { return strings.Compare(a.name, b.name) })
	for i := range c.shares {
		if i > 0 && c.shares[i].name == c.shares[i-1].name {
			s.Errors.Addf(s.System.Place, "share %s is in system %s twice", c.shares[i].name, s.System.Name)
		}
		c.decide(s, &c.shares[i])
	}
	return c
}

func compileShare(s *gate.Site, d *Share) share {
	name := d.Share.Value
	if name == "" || strings.Contains(name, ":") {
		s.Errors.Addf(d.Share.Place, "a share's name is not empty and has no colon in it")
	}
	sh := share{name: name, door: compileEntries(s, d.Door, name+" door", rule.ByDoor)}
	folders := slices.Clone(d.Folders)
	for i := range folders {
		p := &folders[i].Path.Value
		if !strings.HasPrefix(*p, "/") || strings.Contains(*p, "//") {
			s.Errors.Addf(folders[i].Path.Place, "%q is not a path: it starts at / and has no empty part", *p)
		}
		if *p != "/" {
			*p = strings.TrimRight(*p, "/")
		}
	}
	slices.SortStableFunc(folders, func(a, b Folder) int { return strings.Compare(a.Path.Value, b.Path.Value) })
	if len(folders) == 0 || folders[0].Path.Value != "/" {
		sh.folders = append(sh.folders, folder{path: "/", object: name + ":/", parent: -1})
	}
	for i := range folders {
		f := &folders[i]
		path := f.Path.Value
		if i > 0 && folders[i-1].Path.Value == path {
			s.Errors.Addf(f.Path.Place, "folder %s is in share %s twice; it is also at %s", path, name, folders[i-1].Path.Place)
			continue
		}
		parent := -1
		if f.Inherits == nil || *f.Inherits {
			parent = sh.nearest(path)
		}
		entries := compileEntries(s, f.Entries, name+":"+path, rule.ByDeny)
		sh.folders = append(
			sh.folders,
			folder{path: path, object: name + ":" + path, declared: true, parent: parent, entries: entries},
		)
	}
	return sh
}

func compileEntries(s *gate.Site, list []Entry, kind string, reason rule.Reason) []entry {
	var entries []entry
	for i := range list {
		e := &list[i]
		line := s.Numbered(kind+" entry", i, e.Place)
		if len(e.Allow)+len(e.Deny) == 0 {
			s.Errors.Addf(e.Place, "line %s neither allows nor denies anything: it needs allow or deny", line.Name)
			continue
		}
		if len(e.Deny) > 0 {
			entries = append(entries, entry{s.Rule(line, &e.Who, nil, rule.Taking), bitsOf(e.Deny)})
			entries[len(entries)-1].Reason = reason
		}
		if len(e.Allow) > 0 {
			entries = append(entries, entry{s.Rule(line, &e.Who, nil, rule.Giving), bitsOf(e.Allow)})
		}
	}
	return entries
}

// decide makes what decides on each right of each folder of a share: its own entries before
// those of its parent, and so on, and then the door. A folder without entries of its own for
// a right is decided as its parent.
func (c *compiled) decide(s *gate.Site, sh *share) {
	doors := make([]rule.Lock, len(rights))
	for right := range rights {
		doors[right] = throughShare{&rule.Door{
			Decision: &rule.Decision{Index: &s.Index, Nearest: level(sh.door, right, nil)},
			Reason:   rule.ByDoor, At: c.System + "/" + sh.name + " door",
		}}
	}
	for i := range sh.folders {
		f := &sh.folders[i]
		for right := range rights {
			var above *rule.Decision
			var next *rule.Level
			if f.parent >= 0 {
				above = sh.folders[f.parent].decisions[right]
				next = above.Nearest
			}
			own := level(f.entries, right, next)
			d := above
			if above == nil || !own.Gives.Empty() || !own.Takes.Empty() {
				d = &rule.Decision{Index: &s.Index, Nearest: own, Locks: doors[right : right+1]}
			}
			f.decisions = append(f.decisions, d)
			if gives, _ := d.Gives(); f.declared {
				c.Add(f.object, rights[right], d, gives, false)
			}
		}
	}
}

func level(entries []entry, right int, next *rule.Level) *rule.Level {
	l := &rule.Level{Next: next}
	for _, e := range entries {
		if !e.grant.has(right) {
			continue
		}
		if e.Effect == rule.Giving {
			l.Gives.Add(e.Rule)
		} else {
			l.Takes.Add(e.Rule)
		}
	}
	return l
}

// throughShare is the door of a share, which is not asked on the host itself.
type throughShare struct{ *rule.Door }

func (t throughShare) Verdict(q *rule.Question) rule.Verdict {
	if q.Facts.Via == "local" {
		return rule.Opened
	}
	return t.Door.Verdict(q)
}

// nearest finds the folder that decides for a path: itself or its nearest
// declared ancestor; -1 if there is none.
func (s *share) nearest(path string) int {
	for i := len(s.folders) - 1; i >= 0; i-- {
		f := s.folders[i].path
		if f == "/" || path == f || strings.HasPrefix(path, f+"/") {
			return i
		}
	}
	return -1
}

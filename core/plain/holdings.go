package plain

import (
	"slices"
	"strings"
	"time"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/app"
	"gatemap/core/gate/files"
	"gatemap/core/gate/hosts"
	"gatemap/core/gate/licences"
	"gatemap/core/gate/roles"
	"gatemap/core/name"
	"gatemap/core/place"
)

func rolePoints(d *roles.Document) (points []Point) {
	for _, r := range d.Resources {
		for _, right := range d.Rights {
			points = append(points, Point{r.Path.Value, right.Value})
		}
	}
	return points
}

// roles: section 5.1.
func (s *system) roles(q *asked, d *roles.Document, p Point) gate.State {
	allow, kept := gate.None, gate.Open
	for _, common := range d.EveryoneHas {
		if s.once("right", common.Name, p.Right, func() bool { return hasRight(d, common.Name, p.Right) }) && s.once("down", "/", p.Object, func() bool { return comesDown(d, "/", p.Object) }) {
			allow = gate.Open
		}
	}
	for _, i := range mine(s, q, d.Mappings, func(m *roles.Mapping) *gate.Who { return &m.Who }) {
		m := &d.Mappings[i]
		if !s.once("right", m.Role.Name, p.Right, func() bool { return hasRight(d, m.Role.Name, p.Right) }) ||
			!s.once("down", m.Object.Value, p.Object, func() bool { return comesDown(d, m.Object.Value, p.Object) }) || !tagged(d, m.Where, p.Object) {
			continue
		}
		if t := q.sit.holds(m.When); m.Effect == "deny" {
			kept = min(kept, takes(t))
		} else {
			allow = max(allow, gives(t))
		}
	}
	if allow == gate.None {
		return allow
	}
	for _, l := range d.Limits {
		under := l.Object.Value == "/" || p.Object == l.Object.Value || strings.HasPrefix(p.Object, l.Object.Value+"/")
		if under && matches(l.Rights, p.Right) && !s.excepted(q, l.Except) {
			kept = min(kept, takes(q.sit.holds(l.When)))
		}
	}
	return min(allow, kept)
}

func matches(list []gate.Pattern, right string) bool {
	return slices.ContainsFunc(list, func(p gate.Pattern) bool { return p.Matches(right) })
}

func hasRight(d *roles.Document, role, right string) bool {
	r := d.Roles[role]
	if matches(r.Without, right) {
		return false
	}
	if matches(r.Rights, right) {
		return true
	}
	for _, i := range r.Includes {
		if hasRight(d, i.Name, right) {
			return true
		}
	}
	return false
}

// above lists the declared resources from one upwards.
func above(d *roles.Document, path string) (chain []roles.Resource) {
	for at := path; ; at = at[:strings.LastIndex(at, "/")] {
		if at == "" {
			at = "/"
		}
		for _, r := range d.Resources {
			if r.Path.Value == at {
				chain = append(chain, r)
			}
		}
		if at == "/" {
			return chain
		}
	}
}

func comesDown(d *roles.Document, object, path string) bool {
	for _, r := range above(d, path) {
		if r.Path.Value == object {
			return true
		}
		if r.Sealed {
			return false
		}
	}
	return false
}

func tagged(d *roles.Document, want map[string]string, path string) bool {
	for key, value := range want {
		have := ""
		for _, r := range above(d, path) {
			if v, ok := r.Tags[key]; ok {
				have = v
				break
			}
			if r.Sealed {
				break
			}
		}
		if have != value {
			return false
		}
	}
	return true
}

func licencePoints(d *licences.Document) (points []Point) {
	for _, p := range d.Products {
		for _, f := range p.Features {
			points = append(points, Point{p.Name.Value, f.Name})
		}
	}
	return points
}

// features are those of a product that a user's mappings give.
func (s *system) features(q *asked, d *licences.Document, p *licences.Product) map[string]bool {
	has := map[string]bool{}
	for _, i := range mine(s, q, d.Mappings, func(m *licences.Mapping) *gate.Who { return &m.Who }) {
		m := &d.Mappings[i]
		if m.Product.Name != p.Name.Value {
			continue
		}
		for _, f := range p.Features {
			off := false
			for _, w := range m.Without {
				off = off || w.Name == f.Name
			}
			has[f.Name] = has[f.Name] || !off
		}
	}
	return has
}

// licences: section 5.2.
func (s *system) licences(q *asked, d *licences.Document, p Point) gate.State {
	for i := range d.Products {
		product := &d.Products[i]
		if product.Name.Value != p.Object {
			continue
		}
		has := s.features(q, d, product)
		if !has[p.Right] {
			return gate.None
		}
		needs := map[string][]string{}
		for _, f := range product.Features {
			for _, n := range f.Needs {
				needs[f.Name] = append(needs[f.Name], n.Name)
			}
		}
		var works func(f string) bool
		works = func(f string) bool {
			return has[f] && !slices.ContainsFunc(needs[f], func(n string) bool { return !works(n) })
		}
		if !works(p.Right) {
			return gate.Shut
		}
		return s.seat(q, d, product)
	}
	return gate.None
}

// seat: those in front in the line, while they are there, have the seats.
func (s *system) seat(q *asked, d *licences.Document, p *licences.Product) gate.State {
	if p.Seats == nil {
		return gate.Open
	}
	var before []directory.Instant // when those in front end
	for _, u := range s.line(d, p) {
		if u == q.User {
			break
		}
		before = append(before, u.Expires)
	}
	there := func(at time.Time) int {
		n := 0
		for _, end := range before {
			if end.IsZero() || at.Before(end.Time) {
				n++
			}
		}
		return n
	}
	if at := q.sit.At; !at.IsZero() {
		ended := !q.Expires.IsZero() && !at.Before(q.Expires.Time)
		if ended || there(at) < *p.Seats {
			return gate.Open
		}
		return gate.Shut
	}
	if len(before) < *p.Seats {
		return gate.Open
	}
	for _, end := range before {
		own := q.Expires.IsZero() || end.Before(q.Expires.Time)
		if !end.IsZero() && own && there(end.Time) < *p.Seats {
			return gate.Depends
		}
	}
	return gate.Shut
}

// line lists the active holders of a product in the order of seating; it is the
// same for all, so that it is kept.
func (s *system) line(d *licences.Document, p *licences.Product) []*User {
	if known, ok := s.lines[p]; ok {
		return known
	}
	type holder struct {
		user          *User
		direct, first int
	}
	var holders []holder
	for _, u := range s.world.all {
		q := &asked{User: u, in: s.world.groupsOf(u), mine: map[any][]int{}}
		h := holder{u, 1, -1}
		for i := range d.Mappings {
			m := &d.Mappings[i]
			if m.Product.Name != p.Name.Value || !u.IsActive() || !s.has(q, &m.Who) {
				continue
			}
			if h.first < 0 {
				h.first = i
			}
			for _, r := range m.Users {
				if s.world.User(r.Name) == u {
					h.direct = 0
				}
			}
		}
		if h.first >= 0 {
			holders = append(holders, h)
		}
	}
	slices.SortFunc(holders, func(a, b holder) int {
		if a.direct != b.direct {
			return a.direct - b.direct
		}
		if a.first != b.first {
			return a.first - b.first
		}
		return strings.Compare(name.Fold(a.user.FullName()), name.Fold(b.user.FullName()))
	})
	var users []*User
	for _, h := range holders {
		users = append(users, h.user)
	}
	if s.lines == nil {
		s.lines = map[*licences.Product][]*User{}
	}
	s.lines[p] = users
	return users
}

func appPoints(d *app.Document) (points []Point) {
	for module, actions := range d.Modules {
		for _, a := range actions {
			points = append(points, Point{module, a.Value})
		}
	}
	return points
}

// app: section 5.5.
func (s *system) app(q *asked, d *app.Document, p Point) gate.State {
	wide, denied := gate.None, gate.Open
	for _, i := range mine(s, q, d.Mappings, func(m *app.Mapping) *gate.Who { return &m.Who }) {
		m := &d.Mappings[i]
		breadth, ok := d.Roles[m.Role.Name][p.Object][p.Right]
		if !ok {
			continue
		}
		if t := q.sit.holds(m.When); breadth != "none" {
			wide = max(wide, gives(t))
		} else if d.Merge == "narrowest" {
			denied = min(denied, takes(t))
		}
	}
	if wide == gate.None {
		return wide
	}
	return min(wide, denied)
}

var fileRights = []string{"list", "read", "write", "delete", "manage"}

func filePoints(d *files.Document) (points []Point) {
	for _, sh := range d.Shares {
		for _, f := range sh.Folders {
			for _, r := range fileRights {
				points = append(points, Point{sh.Share.Value + ":" + f.Path.Value, r})
			}
		}
	}
	return points
}

func granted(list []files.Grant, right string) bool {
	return slices.ContainsFunc(list, func(g files.Grant) bool {
		switch g {
		case "reader":
			return right == "list" || right == "read"
		case "editor":
			return right != "manage"
		case "full":
			return true
		}
		return string(g) == right
	})
}

// files: section 5.6.
func (s *system) files(q *asked, d *files.Document, p Point) gate.State {
	share, path, _ := strings.Cut(p.Object, ":")
	for i := range d.Shares {
		if sh := &d.Shares[i]; sh.Share.Value == share {
			state := s.folder(q, sh, path, p.Right)
			if state == gate.None || q.sit.Via == "local" {
				return state
			}
			allowed, denied := s.entries(q, sh.Door, p.Right)
			if !allowed || denied {
				return gate.Shut
			}
			return state
		}
	}
	return gate.None
}

func (s *system) entries(q *asked, list []files.Entry, right string) (allowed, denied bool) {
	for _, i := range mine(s, q, list, func(e *files.Entry) *gate.Who { return &e.Who }) {
		allowed, denied = allowed || granted(list[i].Allow, right), denied || granted(list[i].Deny, right)
	}
	return allowed, denied
}

// folder is the lock of a folder: what decides nearest, and whether anything
// behind a denial allows.
func (s *system) folder(q *asked, sh *files.Share, path, right string) gate.State {
	state := gate.Open
	for at := path; ; at = at[:strings.LastIndex(at, "/")] {
		if at == "" {
			at = "/"
		}
		for i := range sh.Folders {
			f := &sh.Folders[i]
			if f.Path.Value != at {
				continue
			}
			allowed, denied := s.entries(q, f.Entries, right)
			if denied {
				state = gate.Shut
			}
			if allowed {
				return state
			}
			if f.Inherits != nil && !*f.Inherits {
				return gate.None
			}
		}
		if at == "/" {
			return gate.None
		}
	}
}

func (s *system) hostPoints(q *asked, d *hosts.Document) (points []Point) {
	for set, list := range d.Hosts {
		for _, h := range list {
			points = append(points, Point{h.Value, "login"})
			for _, i := range mine(s, q, d.Elevate, func(e *hosts.Elevate) *gate.Who { return &e.Who }) {
				e := &d.Elevate[i]
				for _, ref := range e.Hosts {
					for _, c := range e.Commands {
						if ref.Name == set || ref.Name == h.Value {
							points = append(points, Point{h.Value, "run " + c.Value + " as " + e.As})
						}
					}
				}
			}
		}
	}
	return points
}

// hosts: section 5.7.
func (s *system) hosts(q *asked, d *hosts.Document, p Point) gate.State {
	on := func(sets []string) bool {
		return slices.ContainsFunc(sets, func(set string) bool {
			return set == p.Object || slices.ContainsFunc(d.Hosts[set], func(h place.Text) bool { return h.Value == p.Object })
		})
	}
	login, kept := gate.None, gate.Open
	for _, i := range mine(s, q, d.Login, func(l *hosts.Login) *gate.Who { return &l.Who }) {
		l := &d.Login[i]
		if !on(names(l.Hosts)) {
			continue
		}
		if t := q.sit.holds(l.When); l.Effect == "deny" {
			kept = min(kept, takes(t))
		} else {
			login = max(login, gives(t))
		}
	}
	if login != gate.None {
		login = min(login, kept)
	}
	if p.Right == "login" {
		return login
	}
	rest := strings.TrimPrefix(p.Right, "run ")
	at := strings.LastIndex(rest, " as ")
	command, as := rest[:at], rest[at+4:]
	run := gate.None
	for _, i := range mine(s, q, d.Elevate, func(e *hosts.Elevate) *gate.Who { return &e.Who }) {
		e := &d.Elevate[i]
		if e.As == as && on(names(e.Hosts)) && matches(e.Commands, command) && !matches(e.Except, command) {
			run = max(run, gives(q.sit.holds(e.When)))
		}
	}
	if run == gate.None {
		return run
	}
	return min(run, max(login, gate.Shut))
}

package plain

import (
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/gate/app"
	"gatemap/core/gate/files"
	"gatemap/core/gate/hosts"
	"gatemap/core/place"
	"gatemap/core/rule"
)

func appPoints(d *app.Document) (permissions []Permission) {
	for module, actions := range d.Modules {
		for _, a := range actions {
			permissions = append(permissions, Permission{module, a.Value})
		}
	}
	return permissions
}

// app: section 5.5.
func (s *system) app(q *asked, d *app.Document, p Permission) rule.State {
	wide, denied := rule.None, rule.Open
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
	if wide == rule.None {
		return wide
	}
	return min(wide, denied)
}

var fileRights = []string{"list", "read", "write", "delete", "manage"}

func filePoints(d *files.Document) (permissions []Permission) {
	for _, sh := range d.Shares {
		for _, f := range sh.Folders {
			for _, r := range fileRights {
				permissions = append(permissions, Permission{sh.Share.Value + ":" + f.Path.Value, r})
			}
		}
	}
	return permissions
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
func (s *system) files(q *asked, d *files.Document, p Permission) rule.State {
	share, path, _ := strings.Cut(p.Object, ":")
	for i := range d.Shares {
		if sh := &d.Shares[i]; sh.Share.Value == share {
			state := s.folder(q, sh, path, p.Right)
			if state == rule.None || q.sit.Via == "local" {
				return state
			}
			allowed, denied := s.entries(q, sh.Door, p.Right)
			if !allowed || denied {
				return rule.Shut
			}
			return state
		}
	}
	return rule.None
}

func (s *system) entries(q *asked, list []files.Entry, right string) (allowed, denied bool) {
	for _, i := range mine(s, q, list, func(e *files.Entry) *gate.Who { return &e.Who }) {
		allowed, denied = allowed || granted(list[i].Allow, right), denied || granted(list[i].Deny, right)
	}
	return allowed, denied
}

// folder is the lock of a folder: what decides nearest, and whether anything
// behind a denial allows.
func (s *system) folder(q *asked, sh *files.Share, path, right string) rule.State {
	state := rule.Open
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
				state = rule.Shut
			}
			if allowed {
				return state
			}
			if f.Inherits != nil && !*f.Inherits {
				return rule.None
			}
		}
		if at == "/" {
			return rule.None
		}
	}
}

func (s *system) hostPoints(q *asked, d *hosts.Document) (permissions []Permission) {
	for set, list := range d.Hosts {
		for _, h := range list {
			permissions = append(permissions, Permission{h.Value, "login"})
			for _, i := range mine(s, q, d.Elevate, func(e *hosts.Elevate) *gate.Who { return &e.Who }) {
				e := &d.Elevate[i]
				for _, ref := range e.Hosts {
					for _, c := range e.Commands {
						if ref.Name == set || ref.Name == h.Value {
							permissions = append(permissions, Permission{h.Value, "run " + c.Value + " as " + e.As})
						}
					}
				}
			}
		}
	}
	return permissions
}

// hosts: section 5.7.
func (s *system) hosts(q *asked, d *hosts.Document, p Permission) rule.State {
	on := func(sets []string) bool {
		return slices.ContainsFunc(sets, func(set string) bool {
			return set == p.Object || slices.ContainsFunc(d.Hosts[set], func(h place.Text) bool { return h.Value == p.Object })
		})
	}
	login, kept := rule.None, rule.Open
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
	if login != rule.None {
		login = min(login, kept)
	}
	if p.Right == "login" {
		return login
	}
	rest := strings.TrimPrefix(p.Right, "run ")
	at := strings.LastIndex(rest, " as ")
	command, as := rest[:at], rest[at+4:]
	run := rule.None
	for _, i := range mine(s, q, d.Elevate, func(e *hosts.Elevate) *gate.Who { return &e.Who }) {
		e := &d.Elevate[i]
		if e.As == as && on(names(e.Hosts)) && matches(e.Commands, command) && !matches(e.Except, command) {
			run = max(run, gives(q.sit.holds(e.When)))
		}
	}
	if run == rule.None {
		return run
	}
	return min(run, max(login, rule.Shut))
}

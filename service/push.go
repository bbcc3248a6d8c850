package service

import (
	"context"
	"reflect"

	"gatemap/connect"
	"gatemap/connect/scim"
	"gatemap/core/directory"
	"gatemap/operator"
)

// pushedTo is what was pushed to a directory, read once.
type pushedTo struct {
	from      uintptr // the records' resources that it was read from
	directory *scim.Directory
}

func identity(r connect.Records) uintptr { return reflect.ValueOf(r.Resources).Pointer() }

// Pushed is what was pushed to a directory and is in force.
func (s *Service) Pushed(named string) (*scim.Directory, error) {
	l := s.lane(named)
	l.mu.Lock()
	defer l.mu.Unlock()
	r := s.Head().Folder.Records[named]
	if l.pushed.directory == nil || l.pushed.from != identity(r) {
		d, err := scim.Read(r)
		if err != nil {
			return nil, err
		}
		l.pushed = pushedTo{identity(r), d}
	}
	return l.pushed.directory, nil
}

// Push changes what was pushed to a directory. When it returns, the change is in
// force, as a revision of its own; where the change fails, nothing has changed.
func (s *Service) Push(ctx context.Context, named, reason string, change func(*scim.Directory) (*scim.Directory, error)) error {
	l := s.lane(named)
	l.busy.Lock()
	defer l.busy.Unlock()
	before, err := s.Pushed(named)
	if err != nil {
		return err
	}
	after, err := change(before)
	if err != nil || after == before {
		return err
	}
	p, err := s.prepare(s.Head(), named, after.Records())
	if err != nil {
		return err
	}
	// It is done even when the caller has gone: half of it must not be.
	if _, err := s.commit(context.WithoutCancel(ctx), p, operator.Actor{Name: "push to " + named, How: "push"}, reason, nil); err != nil {
		return err
	}
	l.mu.Lock()
	l.pushed = pushedTo{identity(s.Head().Folder.Records[named]), after}
	l.mu.Unlock()
	return nil
}

// PushedGroups gives the groups of a pushed user that were pushed as well.
func (s *Service) PushedGroups(named string, d *scim.Directory) func(*scim.Resource) []scim.Membership {
	book := s.Head().Atlas.Book
	return func(r *scim.Resource) []scim.Membership {
		u, err := book.FindUser(r.Name(), named)
		if err != nil {
			return nil
		}
		var all []scim.Membership
		subject := book.Subject(u)
		for _, g := range subject.Groups() {
			if book.GroupHome(g) != named {
				continue
			}
			if group, ok := d.Named(connect.Group, book.Group(g).Name); ok {
				all = append(all, scim.Membership{Group: group, Direct: subject.How(g) == directory.Direct})
			}
		}
		return all
	}
}

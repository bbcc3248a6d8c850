package connect

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Writer is a Document whose records are written where they come from, as write says
// (docs/connected.md, "Directories that are written").
type Writer interface {
	// Writing connects to where the records come from: to one server, or where at is "" to the first
	// that answers. The error is ErrNoServer where the source does not name that one any more.
	Writing(ctx context.Context, j *Job, at string) (Writing, error)
	// Shape is a user as the source brings in one with these attributes.
	Shape(u *directory.User) (*directory.User, error)
}

// ErrNoServer says that a source does not name a server.
var ErrNoServer = errors.New("the source does not name this server any more")

// Writing writes records where they come from. It is for one user at a time.
type Writing interface {
	// Server is the address that answered.
	Server() string
	// Look reads the entry of a record, and says how it is to be modified. The error is an
	// *ElsewhereError where it is not what the map has any more. Of a record that follows others that
	// is known only once these are written.
	Look(r *Rewrite, written bool) (*Modification, error)
	// Text is a modification as the server takes it.
	Text(m *Modification) string
	// Make modifies an entry, unless it was modified since it was looked at, and sees that the
	// record is then what it is to be. made says how far it came where there is an error.
	Make(r *Rewrite, m *Modification) (made Made, err error)
	// Undo takes a modification back, or what is there of it. What somebody else has changed since
	// is left. Where it is not known whether it was made, what was taken away is given back only
	// where nobody else can have taken it away.
	Undo(m *Modification, made Made) error
	Close()
}

// Made says whether a modification was made.
type Made uint8

// Whether it was.
const (
	NotMade Made = iota
	Unknown      // the connection ended before the server answered, or the program did
	IsMade
)

// ElsewhereError says that a record was changed where it comes from since it was taken in.
type ElsewhereError struct {
	Rewrite *Rewrite
	Theirs  string // what differs there, in words
}

func (e *ElsewhereError) Error() string {
	r := e.Rewrite
	return fmt.Sprintf("%s was changed there meanwhile: there: %s; here: %s", r.Named(), e.Theirs, r.Words())
}

// writes sees that a source can be written as it wants to be.
func writes(s *directory.Source, errs *place.Errors) {
	d := Of(s)
	if len(s.Write) == 0 || d == nil {
		return
	}
	switch _, can := d.(Writer); {
	case d.Connector().From == Pushed:
		errs.Addf(s.Place, "write is not for records that are pushed: write them where they come from")
	case !can:
		errs.Addf(s.Place, "write is not for %s: nothing can be written there", d.Connector().Name)
	case s.Feeds != nil:
		errs.Addf(s.Place, "write is not for a source that feeds: its records are no accounts")
	case slices.Contains(s.Write, directory.WriteGroups) && s.Groups == nil && !d.Connector().Typed:
		errs.Addf(s.Place, "write: groups needs the key groups: which entries are groups")
	case slices.Contains(s.Write, directory.WriteGroups) && !slices.Contains(s.Write, directory.WriteMembers):
		errs.Addf(
			s.Place,
			"write: groups needs write: members, as a new group has members, and one that goes is emptied first",
		)
	case !slices.Contains(s.Write, directory.WriteUsers):
	case s.Users == nil && !d.Connector().Typed:
		errs.Addf(s.Place, "write: users needs the key users: which entries are users")
	case !slices.Contains(s.Write, directory.WriteMembers):
		errs.Addf(s.Place, "write: users needs write: members, as groups list the accounts that are moved")
	}
}

// newGroups sees that it is said rightly what new groups are to be.
func newGroups(s *directory.Source, errs *place.Errors) {
	n, d := s.NewGroups, Of(s)
	switch {
	case n == nil:
	case !slices.Contains(s.Write, directory.WriteGroups):
		errs.Addf(n.Place, "new_groups says what new groups are to be, and needs write: groups")
	case d != nil && d.Connector().Typed:
		errs.Addf(n.Place, "new_groups is for directory servers; %s has groups without a place", d.Connector().Name)
	case n.Where.Value != "":
		if _, ok := name.DN(n.Where.Value); !ok {
			errs.Addf(n.Where.Place, "place: %q is not a distinguished name (RFC 4514)", n.Where.Value)
		}
	}
}

// GroupPlace is the entry below which new groups of a source are put; "" where that is not clear, or
// groups stand in no tree.
func GroupPlace(s *directory.Source) string {
	if n := s.NewGroups; n != nil && n.Where.Value != "" {
		return n.Where.Value
	}
	if s.Groups == nil || len(s.Groups.Base) != 1 || s.Groups.Base[0].Scope == "base" {
		return ""
	}
	return s.Groups.Base[0].Value
}

// newAccounts sees that it is said rightly what new accounts are to be.
func newAccounts(s *directory.Source, errs *place.Errors) {
	a := s.Accounts
	if a == nil {
		return
	}
	if !slices.Contains(s.Write, directory.WriteUsers) {
		errs.Addf(a.Place, "accounts says what new accounts are to be, and needs write: users")
	}
	d := Of(s)
	if d != nil && d.Connector().Typed {
		if a.Where.Value != "" || a.Entry != nil || !a.Numbers.Empty() {
			errs.Addf(a.Place, "place, numbers and entry are for directory servers; %s has accounts without", d.Connector().Name)
		}
	} else if _, ok := name.DN(a.Where.Value); !ok {
		errs.Addf(a.Where.Place, "place: %q is not a distinguished name (RFC 4514)", a.Where.Value)
	}
	if err := name.CheckPattern(a.Name.Value); err != nil {
		errs.Addf(a.Name.Place, "name: %v", err)
	}
	if s.Users == nil {
		return
	}
	_, takes := Written(s.Users, "uidNumber")
	if !a.Numbers.Empty() && !takes {
		errs.Addf(a.Place, "numbers needs uidNumber among the attributes of users, to know which are taken")
	}
	for ours := range a.Attributes {
		if _, ok := Written(s.Users, ours); !ok {
			errs.Addf(a.Place, "attributes: %s is not one of the attributes of users that the source takes in", ours)
		}
	}
}

// Written is how the attribute that is written is called where records of a source come from, by the
// table of its users, if there is one; ok is false where none is, or it holds a secret.
func Written(table *directory.UserTable, ours string) (theirs string, ok bool) {
	theirs = ours
	if table != nil && table.Attributes != nil {
		theirs = ""
		for own, its := range table.Attributes {
			if strings.EqualFold(own, ours) {
				theirs = its
			}
		}
	}
	return theirs, theirs != "" && !secret[strings.ToLower(theirs)]
}

// SameReference says that two references to a member are spellings of one.
func SameReference(a, b string) bool { return key(a) == key(b) }

package connect

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/place"
)

// Connector is one kind of connection to what is outside: one entry of the table of them
// (package connectors).
type Connector struct {
	Name string          // the key of its document
	Doc  string          // what it connects to, in one sentence
	New  func() Document // an empty document of a source; nil: it is for no sources
	Link func() Link     // an empty document of a link to a system; nil: it is for no links
	// Notify makes an empty document of a receiver of notices; nil: it is for none.
	Notify func() Notifier
	// Address makes the document of a link from an address that begins with the name; nil: there
	// are none.
	Address func(*url.URL) (Link, error)

	// Propose asks what is at an address, whose scheme is the name, with an s where it is over TLS,
	// how it can be a source, and tells what it found step by step; nil: it cannot.
	Propose func(ctx context.Context, at *url.URL, host Host, tell func(Step)) (*directory.Source, error)

	From    From
	Follows []string // the ways of directory.Follow that it knows
	Selects bool     // bases and filters are applied where the records come from
	Typed   bool     // records come as users and groups already: the source has no tables of them
	Strict  bool     // what a file rejects keeps a map folder from loading
}

// From says where the records of a source come from.
type From uint8

// Where records come from.
const (
	Files  From = iota // files of the map folder, read with it
	Server             // asked for, when a run is made
	Pushed             // sent to the service by whoever has them
)

// Kind is what a map has to know of a connector.
func (c Connector) Kind() directory.ConnectionKind {
	k := directory.ConnectionKind{Name: c.Name, Doc: c.Doc, Live: c.From != Files}
	if c.New != nil {
		k.New = func() any { return c.New() }
	}
	if c.Link != nil {
		k.Link = func() any { return c.Link() }
	}
	if c.Notify != nil {
		k.Notify = func() any { return c.Notify() }
	}
	return k
}

// Document is how one source is reached, as a map writes it, and the doing. A connector
// that cannot do one of these says so in its entry of the table, and is not asked.
type Document interface {
	Connector() Connector
	// Targets are what it connects to and reads on the host: a change of one needs the right
	// to connect.
	Targets() []string
	// Read brings in everything, and says who answered. progress gets how many entries have
	// come so far.
	Read(ctx context.Context, j *Job, progress func(read int)) (r Records, server string, err error)
	// Check goes through everything that Read needs, step by step, and tells each.
	Check(ctx context.Context, j *Job, tell func(Step)) *Checked
	// Follow tells an observer everything that there is, and then what changes, until the
	// context ends or it fails. The error is ErrAnew where it is to begin again at once.
	Follow(ctx context.Context, j *Job, o Observer) error
}

// Job is one use of a source.
type Job struct {
	Source *directory.Source
	Host   Host
	Tables *Tables
	Known  Records // what is in force
}

// Observer takes what a source that is followed tells.
type Observer interface {
	// Everything makes a run that brings in everything. Read ends it by calling done with
	// what came in, and may go on after that.
	Everything(read func(progress func(read int), done func(r Records, server string) error) error) error
	// Known are the records that were taken so far.
	Known() Records
	// Change takes in what has changed.
	Change(p Patch, server string) error
}

// ErrAnew says that everything is to be read anew.
var ErrAnew = errors.New("everything is read anew")

// ErrPushed says that a source whose records are pushed was asked for them.
var ErrPushed = errors.New("the records of this directory are pushed to the service; there is nothing to fetch")

// ErrNotFollowed says that a source that cannot be followed was to be.
var ErrNotFollowed = errors.New("this source cannot be followed")

// Step is one step of a check: what was tried, how it went, and what came out.
type Step struct {
	Name   string
	Failed bool
	Warned bool // it went, but not as it should
	Detail string
}

// Checked is what a check found.
type Checked struct {
	Records *Records // nil: it got no further
	// Elsewhere looks for entries that have a name where no table looks; nil: it cannot.
	Elsewhere func(named string) ([]Near, error)
	Close     func()
}

// Near is an entry that has a name in some attribute.
type Near struct{ DN, Attribute string }

// Of is how a source is reached; nil if it does not say.
func Of(s *directory.Source) Document {
	if s == nil {
		return nil
	}
	d, _ := s.Connection.Document.(Document)
	return d
}

// NewJob makes a job of a source. The error joins a *place.Error for everything that is
// wrong with the source.
func NewJob(s *directory.Source, host Host, known Records) (*Job, Document, error) {
	var errs place.Errors
	d := Of(s)
	if d == nil {
		errs.Addf(
			s.Place,
			"the source does not say what to read; give it one of the keys that name a connection, such as ldap or csv",
		)
		return nil, nil, errs.Err()
	}
	j := &Job{s, host, NewTables(s, &errs), known}
	return j, d, errs.Err()
}

// Sizes says how many records there are.
func (r *Records) Sizes() string {
	return fmt.Sprintf(
		"%d users, %d groups, %d devices, %d rejected",
		len(r.Users),
		len(r.Groups),
		len(r.Devices),
		len(r.Rejected),
	)
}

// follows says whether a source may be followed as it wants to be.
func follows(s *directory.Source, errs *place.Errors) {
	d := Of(s)
	if s.Follow == "" || d == nil || slices.Contains(d.Connector().Follows, string(s.Follow)) {
		return
	}
	if ways := d.Connector().Follows; len(ways) > 0 {
		errs.Addf(
			s.Place,
			"follow: %s is not for %s, which knows %s",
			s.Follow,
			d.Connector().Name,
			strings.Join(ways, " and "),
		)
		return
	}
	errs.Addf(s.Place, "follow is not for %s; it is read as often as every says", d.Connector().Name)
}

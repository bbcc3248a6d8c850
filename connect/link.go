package connect

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// Link is how one system is reached, as a map writes it, and the doing.
type Link interface {
	Connector() Connector
	// Types are the gate types of systems that it can read.
	Types() []string
	// Targets are what it connects to and reads on the host: a change of one needs the right
	// to connect.
	Targets() []string
	// Observe reads what the system holds. progress gets how many things were read so far. What
	// its account may not see is noted as such in the reading; the error says what kept it from
	// being read at all.
	Observe(ctx context.Context, o *Observing, progress func(read int)) (*reading.Reading, error)
	// Deliverer brings the system to what the map says; nil: it is not delivered to.
	Deliverer() Deliverer
}

// ReadingTimeout is how long a reading may take where the map does not say otherwise.
const ReadingTimeout = 2 * time.Minute

// Late says that a reading took longer than it may.
func Late(timeout time.Duration) error {
	return fmt.Errorf("it did not answer within %s; the link's timeout says how long to wait", timeout)
}

// Observing is one use of a link.
type Observing struct {
	System *gate.System
	Host   Host
}

// LinkOf is how a system is reached; nil if its document does not say.
func LinkOf(s *gate.System) Link {
	if s == nil || s.Link == nil {
		return nil
	}
	l, _ := s.Link.Connection.Document.(Link)
	return l
}

// Observe reads what a system holds. The error joins a *place.Error for everything that is wrong
// with its link.
func Observe(ctx context.Context, s *gate.System, host Host, progress func(read int)) (*reading.Reading, error) {
	l := LinkOf(s)
	var errs place.Errors
	if l == nil {
		errs.Addf(s.Place, "the system %s has no link: give its document the key link, with what to read", s.Name)
		return nil, errs.Err()
	}
	if types := l.Types(); !slices.Contains(types, s.Type.Name) {
		errs.Addf(
			s.Link.Place,
			"%s reads systems of the type %s, and %s is of the type %s",
			l.Connector().Name,
			strings.Join(types, " or "),
			s.Name,
			s.Type.Name,
		)
		return nil, errs.Err()
	}
	if s.Link.Deliver == gate.OnCommit && l.Deliverer() == nil {
		errs.Addf(s.Link.Place, "deliver: on-commit is not for this link: nothing can be delivered by it (docs/connected.md)")
	}
	for _, text := range []string{s.Link.Names.Groups, s.Link.Names.Users} {
		if text == "" {
			continue
		}
		if err := name.CheckPattern(text); err != nil {
			errs.Addf(s.Link.Place, "names: %v", err)
		}
	}
	if err := errs.Err(); err != nil {
		return nil, err
	}
	r, err := l.Observe(ctx, &Observing{s, host}, progress)
	if err != nil {
		return nil, fmt.Errorf("the system %s cannot be read: %w", s.Name, err)
	}
	r.System, r.Type = s.Name, s.Type.Name
	return r, nil
}

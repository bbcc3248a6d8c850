package ldap

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// mirror is what a stream has told so far.
type mirror struct {
	conn     *Conn
	tables   *connect.Tables
	searches []search
	records  *connect.Mirror
	taken    connect.Records // what there was when the stream began
	fresh    []bool
	parents  map[string]string // the distinguished names of containers, by identifier
	began    Mark              // when everything was there; none until then
	moved    renamed
	verified time.Time              // when it was compared with the server
	within   map[found]map[int]bool // the searches in which something is, as bases may overlap
}

// found is an entry as one kind of record.
type found struct {
	kind connect.Kind
	id   string
}

// still notes that a search has an entry, or has it no longer, and says whether any has.
func (m *mirror) still(e event) bool {
	key := found{m.searches[e.search].kind, e.id}
	if m.within[key] == nil {
		m.within[key] = map[int]bool{}
	}
	if e.gone {
		delete(m.within[key], e.search)
	} else {
		m.within[key][e.search] = true
	}
	if len(m.within[key]) == 0 {
		delete(m.within, key)
		return false
	}
	return true
}

// refresh takes everything that is there when a stream begins.
func (m *mirror) refresh(ctx context.Context, events <-chan event, progress func(int)) error {
	read, wait := 0, m.conn.client.ldap.Timeout.Or(timeout)
	quiet := time.NewTimer(wait)
	defer quiet.Stop()
	for slices.Contains(m.fresh, false) {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-quiet.C:
			return fmt.Errorf("the server does not go on: nothing came for %v", wait)
		case e := <-events:
			quiet.Reset(wait)
			switch {
			case e.err != nil:
				return e.err
			case e.fresh:
				m.fresh[e.search] = true
			case e.search >= len(m.searches):
				if err := m.container(e); err != nil {
					return err
				}
			default: // what is there, or what has changed since a search told it
				again := m.records.Has(m.searches[e.search].kind, e.id)
				m.apply(e, &m.taken)
				if again {
					continue
				}
				if read++; read%100 == 0 {
					progress(read)
				}
			}
		}
	}
	progress(read)
	var err error
	if m.began, err = m.conn.Mark(); err != nil {
		return err
	}
	rejected := m.taken.Rejected
	p := m.records.Patch()
	m.taken = m.records.Records()
	m.taken.Rejected = once(append(rejected, p.Put.Rejected...))
	m.tables.Finish(&m.taken)
	return nil
}

// apply takes what a search tells of an entry; what is rejected is told in to.
func (m *mirror) apply(e event, to *connect.Records) {
	if still := m.still(e); still && e.gone {
		return // it is in another base
	}
	kind := m.searches[e.search].kind
	m.moved.note(m.records.DN(kind, e.id), e.entry, time.Now())
	if e.gone {
		m.records.Drop(kind, e.id)
	} else {
		m.take(kind, e.id, e.entry, to)
	}
}

// take puts what an entry is into the mirror; what is rejected is told in to.
func (m *mirror) take(k connect.Kind, id string, e *connect.Entry, to *connect.Records) {
	var one connect.Records
	m.tables.TakeAs(k, e, &one)
	to.Rejected = append(to.Rejected, one.Rejected...)
	m.records.Put(k, id, &one)
}

// container notes where a container is. One that has moved, come in from elsewhere or gone
// took everything below it along, of which the protocol tells nothing: the error is
// connect.ErrAnew.
func (m *mirror) container(e event) error {
	switch was := m.parents[e.id]; {
	case e.gone:
		delete(m.parents, e.id)
		if m.holds(was) {
			return errTreeMoved
		}
	case e.entry == nil:
	case was != "" && dnKey(was) != dnKey(e.entry.DN), was == "" && m.began != (Mark{}) && m.conn.older(e.entry, m.began):
		return errTreeMoved
	default:
		m.parents[e.id] = e.entry.DN
	}
	return nil
}

// holds says whether something is known below a distinguished name.
func (m *mirror) holds(dn string) bool {
	r := m.records.Records()
	return dn != "" && (slices.ContainsFunc(r.Users, func(u *directory.User) bool { return below(u.DN, dn) }) ||
		slices.ContainsFunc(r.Groups, func(g *directory.Group) bool { return below(g.DN, dn) }) ||
		slices.ContainsFunc(r.Devices, func(d *directory.Device) bool { return below(d.DN, dn) }))
}

// errTreeMoved says that a part of the tree was renamed: what lies below is read anew.
var errTreeMoved = fmt.Errorf("a part of the tree was renamed; %w", connect.ErrAnew)

// next waits for changes, and for a little longer, so that those that belong
// together stay together.
func (m *mirror) next(ctx context.Context, events <-chan event) (connect.Patch, error) {
	var rejected connect.Records
	pause := time.NewTimer(time.Hour)
	defer pause.Stop()
	pause.Stop()
	if wait, again := m.moved.wait(time.Now()); again {
		pause.Reset(wait)
	}
	verify := time.NewTimer(time.Until(m.verified.Add(m.conn.client.source.Verify.Or(VerifyEvery))))
	defer verify.Stop()
	var since time.Time // the first change that waits
	for {
		select {
		case <-ctx.Done():
			return connect.Patch{}, ctx.Err()
		case <-verify.C:
			if since.IsZero() {
				since = time.Now()
			}
			if err := m.verify(ctx, &rejected); err != nil {
				return connect.Patch{}, err
			}
			pause.Reset(0)
		case <-pause.C:
			p := m.records.Patch()
			if p.Read = since; since.IsZero() {
				p.Read = time.Now()
			}
			p.Put.Rejected = once(append(rejected.Rejected, p.Put.Rejected...))
			return p, m.follow(ctx, &p)
		case e := <-events:
			if e.err != nil {
				return connect.Patch{}, e.err
			}
			if e.fresh {
				continue
			}
			if e.search >= len(m.searches) {
				if err := m.container(e); err != nil {
					return connect.Patch{}, err
				}
				continue
			}
			m.apply(e, &rejected)
			if since.IsZero() {
				since = time.Now()
			}
			pause.Reset(min(quiet, time.Until(since.Add(longest))))
		}
	}
}

// verify compares the mirror with the server: what left the base, or came into it, without
// a change of its own is not told by the protocol.
func (m *mirror) verify(ctx context.Context, rejected *connect.Records) error {
	m.verified = time.Now()
	return m.conn.verify(ctx, m.searches, standingOf(m.records.Records()), func(k connect.Kind, id string) {
		m.moved.note(m.records.DN(k, id), nil, time.Now())
		m.records.Drop(k, id)
	}, func(s search, e *connect.Entry) error {
		m.moved.note(m.records.DN(s.kind, e.Identity()), e, time.Now())
		m.take(s.kind, e.Identity(), e, rejected)
		return nil
	})
}

// follow reads the groups again whose members were renamed or are gone: what the server
// itself made of that it does not tell.
func (m *mirror) follow(ctx context.Context, p *connect.Patch) error {
	if err := m.conn.regroup(ctx, m.tables, m.searches, &m.moved,
		func() []*directory.Group { return m.records.Records().Groups }, func(id string, one *connect.Records) {
			m.records.Put(connect.Group, id, one)
		}); err != nil {
		return err
	}
	more := m.records.Patch()
	p.Gone = append(p.Gone, more.Gone...)
	p.Put.Groups = merged(p.Put.Groups, more.Put.Groups)
	p.Put.Rejected = append(p.Put.Rejected, more.Put.Rejected...)
	m.tables.Finish(&p.Put)
	return nil
}

// once is a list without what it has twice: an entry in bases that overlap is told for each.
func once(list []place.Error) []place.Error {
	seen := make(map[place.Error]bool, len(list))
	return slices.DeleteFunc(list, func(e place.Error) bool {
		again := seen[e]
		seen[e] = true
		return again
	})
}

// merged are groups with others in the place of those of the same entries.
func merged(list, other []*directory.Group) []*directory.Group {
	for _, g := range other {
		if i := slices.IndexFunc(list, func(x *directory.Group) bool { return x.DN == g.DN }); i >= 0 {
			list[i] = g
		} else {
			list = append(list, g)
		}
	}
	return list
}

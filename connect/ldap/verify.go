package ldap

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
)

// VerifyEvery is how often what is known is compared with what is there, unless the source
// says otherwise.
const VerifyEvery = 5 * time.Minute

// manyStray is how many records are read one by one; where more are not as they were
// everything is read anew.
const manyStray = 1000

// errManyStray says that too much is not as it was.
var errManyStray = fmt.Errorf("more than %d entries are not as they were told; %w", manyStray, connect.ErrAnew)

// standing are the names of records by identifier.
type standing [connect.Device + 1]map[string]names

type names struct{ name, dn string }

func standingOf(r connect.Records) (s standing) {
	for k := range s {
		s[k] = map[string]names{}
	}
	for _, u := range r.Users {
		s[connect.User][u.ID] = names{u.Name, u.DN}
	}
	for _, g := range r.Groups {
		s[connect.Group][g.ID] = names{g.Name, g.DN}
	}
	for _, d := range r.Devices {
		s[connect.Device][d.ID] = names{d.Name, d.DN}
	}
	return s
}

// verify asks for the identifiers alone of everything that is meant, and compares them and
// the distinguished names with those that are known. It tells of what is gone, and hands on
// what is new or has another name. Where the server gives no identifiers it does nothing.
func (c *Conn) verify(
	ctx context.Context, searches []search, known standing, gone func(k connect.Kind, id string),
	stray func(s search, e *connect.Entry) error,
) error {
	if ok, err := c.lightly(ctx, searches, known, gone, stray); ok || err != nil {
		return err
	}
	if ok, err := c.byNumber(ctx, searches, known, gone, stray); ok || err != nil {
		return err
	}
	there, others, err := c.identities(ctx, searches, known)
	if err != nil || there == nil {
		return err
	}
	if len(others) > manyStray {
		return errManyStray
	}
	for k := range known {
		for id := range known[k] {
			if id != "" && !there[k][id] {
				gone(connect.Kind(k), id)
			}
		}
	}
	for _, o := range others {
		if err := c.each(ctx, o.search, o.dn, func(e *connect.Entry) error { return stray(o.search, e) }); err != nil {
			return err
		}
	}
	return nil
}

// placed is an entry that one search finds at its place.
type placed struct {
	search search
	dn     string
}

// identities are those of all entries, by kind, and the entries that are not known at their place; nil
// where the server tells no identities.
func (c *Conn) identities(
	ctx context.Context, searches []search, known standing,
) (there []map[string]bool, others []placed, err error) {
	all, told := []map[string]bool{{}, {}, {}}, false
	for _, s := range searches {
		light := s
		light.attributes = connect.Identifiers
		var rejected connect.Records
		if err := c.pages(ctx, light, func(e *ldap.Entry) error {
			entry, err := c.entry(e)
			if err != nil {
				return err
			}
			id := entry.Identity()
			if id == "" {
				return nil
			}
			told = true
			if all[s.kind][id] {
				return nil // bases overlap
			}
			all[s.kind][id] = true
			if was, is := known[s.kind][id]; !is || dnKey(was.dn) != dnKey(entry.DN) {
				others = append(others, placed{s, entry.DN})
			}
			return nil
		}, &rejected); err != nil {
			return nil, nil, err
		}
	}
	if !told {
		return nil, nil, nil
	}
	return all, others, nil
}

// Verify compares records with what is there, as Changes does with what changed: it finds
// what was removed, and what came or went without a change of its own.
func (c *Conn) Verify(ctx context.Context, tables *connect.Tables, have connect.Records) (connect.Patch, error) {
	var p connect.Patch
	searches, err := c.searches(tables)
	if err != nil {
		return p, err
	}
	known := standingOf(have)
	if err = c.verify(ctx, searches, known, func(k connect.Kind, id string) {
		c.moved.note(known[k][id].dn, nil, time.Now())
		p.Gone = append(p.Gone, connect.Gone{Named: connect.Named{Kind: k, Name: known[k][id].name}, ID: id})
	}, func(s search, e *connect.Entry) error {
		tables.TakeAs(s.kind, e, &p.Put)
		return nil
	}); err != nil {
		return p, err
	}
	return p, c.followed(ctx, tables, searches, have, &p)
}

// each reads one entry anew, by a search, and hands it on if it is there and meant.
func (c *Conn) each(ctx context.Context, s search, dn string, visit func(*connect.Entry) error) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	s.base.Value, s.base.Scope = dn, "base"
	var rejected connect.Records
	err := c.pages(ctx, s, func(e *ldap.Entry) error {
		entry, err := c.entry(e)
		if err != nil {
			return err
		}
		return visit(entry)
	}, &rejected)
	var e *Error
	if errors.As(err, &e) && e.Step == "base" {
		return nil // it is gone again
	}
	return err
}

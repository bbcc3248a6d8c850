package ldap

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/google/uuid"

	"gatemap/connect"
)

// present is what one search had when it was compared last, for servers that tell what has
// changed since (RFC 4533): then the server names what it still has by identifiers alone.
// That costs a twentieth of reading it.
type present struct {
	cookie []byte
	ids    map[uuid.UUID]bool
}

// update asks what a search has now. It gives the distinguished names of what has changed or
// come, by identifier.
func (p *present) update(ctx context.Context, c *Conn, s search) (changed map[uuid.UUID]string, err error) {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	wait := c.client.ldap.Timeout.Or(timeout)
	quiet := time.AfterFunc(wait, cancel)
	defer quiet.Stop()
	request := ldap.NewSearchRequest(s.base.Value, scopes[s.base.Scope], ldap.NeverDerefAliases, 0, 0, false, s.filter,
		[]string{"1.1"}, nil)
	r := c.ldap.Syncrepl(ctx, request, 64, ldap.SyncRequestModeRefreshOnly, p.cookie, false)
	still, gone := map[uuid.UUID]bool{}, map[uuid.UUID]bool{}
	changed = map[uuid.UUID]string{}
	var done *ldap.ControlSyncDone
	for r.Next() {
		quiet.Reset(wait)
		if state, ok := ldap.FindControl(r.Controls(), ldap.ControlTypeSyncState).(*ldap.ControlSyncState); ok &&
			r.Entry() != nil {
			switch state.State {
			case ldap.SyncStateDelete:
				gone[state.EntryUUID] = true
				continue
			case ldap.SyncStateAdd, ldap.SyncStateModify:
				changed[state.EntryUUID] = r.Entry().DN
			}
			still[state.EntryUUID] = true
		}
		if info, ok := ldap.FindControl(r.Controls(), ldap.ControlTypeSyncInfo).(*ldap.ControlSyncInfo); ok &&
			info.SyncIdSet != nil {
			for _, id := range info.SyncIdSet.SyncUUIDs {
				if info.SyncIdSet.RefreshDeletes {
					gone[id] = true
				} else {
					still[id] = true
				}
			}
		}
		if x, ok := ldap.FindControl(r.Controls(), ldap.ControlTypeSyncDone).(*ldap.ControlSyncDone); ok {
			done = x
		}
	}
	switch {
	case ctx.Err() != nil:
		return nil, fmt.Errorf("the server does not go on: nothing came for %v", wait)
	case r.Err() != nil:
		return nil, r.Err()
	case done == nil:
		return nil, errors.New("the server does not say what it has told so far (RFC 4533 section 2.4)")
	case p.cookie != nil && bytes.Equal(done.Cookie, p.cookie) && len(still)+len(gone) == 0:
		return nil, nil // nothing has changed
	case p.cookie != nil && (done.RefreshDeletes || len(gone) > 0):
		maps.Copy(p.ids, still)
		maps.DeleteFunc(p.ids, func(id uuid.UUID, _ bool) bool { return gone[id] })
	default:
		p.ids = still
	}
	p.cookie = done.Cookie
	return changed, nil
}

// lightly compares what is known with what is there by identifiers, as verify does, where
// the server tells what has changed; ok is false where it does not.
func (c *Conn) lightly(
	ctx context.Context, searches []search, known standing, gone func(k connect.Kind, id string),
	stray func(s search, e *connect.Entry) error,
) (ok bool, err error) {
	if c.heavy || !c.Streams() {
		return false, nil
	}
	// What lies below a container that was renamed has another name, and is not told: then
	// everything is, by name.
	places, err := c.containers(ctx, searches)
	if err != nil {
		return true, err
	}
	if len(c.present) != len(searches) || !maps.Equal(places, c.places) {
		c.present, c.places = make([]present, len(searches)), places
	}
	var others []search
	for i, s := range searches {
		p := &c.present[i]
		changed, err := p.update(ctx, c, s)
		if ldap.IsErrorWithCode(err, ldap.LDAPResultSyncRefreshRequired) {
			p.cookie = nil // it was told too long ago
			changed, err = p.update(ctx, c, s)
		}
		if unable(err) {
			c.heavy = true
			return false, nil
		}
		if err != nil {
			return true, &Error{"search", c.server, fmt.Errorf("below %q for %s: %w", s.base.Value, s.filter, plain(err))}
		}
		for id := range p.ids {
			was, is := known[s.kind][id.String()]
			if dn, told := changed[id]; is && (!told || dnKey(dn) == dnKey(was.dn)) {
				continue
			}
			one := s
			one.filter = fmt.Sprintf("(&%s(entryUUID=%s))", s.filter, id)
			others = append(others, one)
		}
	}
	if len(others) > manyStray {
		return true, errManyStray
	}
	c.tellGone(searches, known, gone)
	return true, c.tellStray(ctx, others, stray)
}

// tellGone tells of those who are known, and are not there any more.
func (c *Conn) tellGone(searches []search, known standing, gone func(k connect.Kind, id string)) {
	for k := range known {
		for id := range known[k] {
			if raw, err := uuid.Parse(id); err == nil && !c.has(searches, connect.Kind(k), raw) {
				gone(connect.Kind(k), id)
			}
		}
	}
}

// tellStray tells of entries that are searched for one by one.
func (c *Conn) tellStray(ctx context.Context, one []search, stray func(s search, e *connect.Entry) error) error {
	for _, s := range one {
		var rejected connect.Records
		if err := c.pages(ctx, s, func(e *ldap.Entry) error {
			entry, err := c.entry(e)
			if err != nil {
				return err
			}
			return stray(s, entry)
		}, &rejected); err != nil {
			return err
		}
	}
	return nil
}

// has says whether any search for a kind of record has an identifier.
func (c *Conn) has(searches []search, k connect.Kind, id uuid.UUID) bool {
	for i, s := range searches {
		if s.kind == k && c.present[i].ids[id] {
			return true
		}
	}
	return false
}

// unable says whether an error means that a server cannot tell what has changed below a
// base, though it says that it can elsewhere.
func unable(err error) bool {
	return slices.ContainsFunc([]uint16{ldap.LDAPResultUnavailableCriticalExtension, ldap.LDAPResultUnwillingToPerform,
		ldap.LDAPResultInsufficientAccessRights}, func(code uint16) bool {
		return ldap.IsErrorWithCode(err, code)
	})
}

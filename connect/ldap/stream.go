package ldap

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
)

// quiet is how long a stream waits for more before it hands on what has changed.
const quiet = 20 * time.Millisecond

// Streams says whether the server tells changes as they happen (RFC 4533).
func (c *Conn) Streams() bool {
	root, err := c.rootEntry()
	return err == nil && slices.Contains(root.GetEqualFoldAttributeValues("supportedControl"), ldap.ControlTypeSyncRequest)
}

// event is what one search of a stream tells.
type event struct {
	search int
	id     [16]byte
	gone   bool
	fresh  bool // the search has told everything that was there
	entry  *connect.Entry
	err    error
}

// Stream brings in everything that the tables mean and hands it to all; then it
// hands every change to changed as it happens. It returns when the context ends,
// the connection is lost, or one of the two returns an error. The error is an
// *Error where it is about the server.
func (c *Conn) Stream(ctx context.Context, tables *connect.Tables, progress func(read int),
	all func(connect.Records) error, changed func(connect.Patch) error,
) error {
	if !c.Streams() {
		return &Error{"search", c.server, errors.New("the server does not send changes as they happen (RFC 4533); use follow: poll")}
	}
	searches, err := c.searches(tables)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	c.ldap.SetTimeout(0) // a quiet directory is no fault
	events := make(chan event, 64)
	for i, s := range searches {
		go c.follow(ctx, i, s, events)
	}
	m := &mirror{tables: tables, searches: searches, known: map[identity]connect.Named{}, fresh: make([]bool, len(searches))}
	if err := m.refresh(ctx, events, progress); err != nil {
		return c.failed(err)
	}
	if err := all(m.taken); err != nil {
		return err
	}
	for {
		patch, err := m.next(ctx, events)
		if err != nil {
			return c.failed(err)
		}
		if patch.Empty() {
			continue
		}
		if err := changed(patch); err != nil {
			return err
		}
	}
}

func (c *Conn) failed(err error) error {
	var e *Error
	if errors.As(err, &e) || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return err
	}
	return &Error{"search", c.server, err}
}

// follow runs one search that does not end, and tells what comes.
func (c *Conn) follow(ctx context.Context, i int, s search, events chan<- event) {
	tell := func(e event) bool {
		e.search = i
		select {
		case events <- e:
			return true
		case <-ctx.Done():
			return false
		}
	}
	request := ldap.NewSearchRequest(s.base.Value, scopes[s.base.Scope], ldap.NeverDerefAliases, 0, 0, false, s.filter, s.attributes, nil)
	r := c.ldap.Syncrepl(ctx, request, 64, ldap.SyncRequestModeRefreshAndPersist, nil, false)
	for r.Next() {
		if !c.tell(r, tell) {
			return
		}
	}
	err := plain(r.Err())
	if err == nil {
		err = errors.New("the server ended the stream of changes")
	}
	tell(event{err: fmt.Errorf("below %q for %s: %w", s.base.Value, s.filter, err)})
}

// tell turns one message of a stream into events.
func (c *Conn) tell(r ldap.Response, tell func(event) bool) bool {
	if e := r.Entry(); e != nil {
		state, ok := ldap.FindControl(r.Controls(), ldap.ControlTypeSyncState).(*ldap.ControlSyncState)
		if !ok {
			return tell(event{err: fmt.Errorf("entry %q comes without its state (RFC 4533 section 2.2)", e.DN)})
		}
		if state.State == ldap.SyncStateDelete {
			return tell(event{id: state.EntryUUID, gone: true})
		}
		ours, err := c.entry(e)
		return tell(event{id: state.EntryUUID, entry: ours, err: err})
	}
	info, ok := ldap.FindControl(r.Controls(), ldap.ControlTypeSyncInfo).(*ldap.ControlSyncInfo)
	if !ok {
		return true
	}
	switch {
	case info.RefreshDelete != nil && info.RefreshDelete.RefreshDone, info.RefreshPresent != nil && info.RefreshPresent.RefreshDone:
		return tell(event{fresh: true})
	case info.SyncIdSet != nil && info.SyncIdSet.RefreshDeletes:
		for _, id := range info.SyncIdSet.SyncUUIDs {
			if !tell(event{id: id, gone: true}) {
				return false
			}
		}
	}
	return true
}

// mirror is what a stream has told so far.
type mirror struct {
	tables   *connect.Tables
	searches []search
	known    map[identity]connect.Named
	fresh    []bool
	taken    connect.Records
}

// identity is an entry as one kind of record: what is two kinds at once is two
// records.
type identity struct {
	kind connect.Kind
	id   [16]byte
}

func (m *mirror) identity(e event) identity { return identity{m.searches[e.search].kind, e.id} }

// refresh takes everything that is there when a stream begins.
func (m *mirror) refresh(ctx context.Context, events <-chan event, progress func(int)) error {
	read := 0
	for slices.Contains(m.fresh, false) {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case e := <-events:
			switch {
			case e.err != nil:
				return e.err
			case e.fresh:
				m.fresh[e.search] = true
			case e.entry != nil:
				if _, twice := m.known[m.identity(e)]; twice {
					continue // bases overlap
				}
				m.known[m.identity(e)] = m.take(e, &m.taken)
				if read++; read%100 == 0 {
					progress(read)
				}
			}
		}
	}
	progress(read)
	m.tables.Finish(&m.taken)
	return nil
}

// take adds what an entry is to the records, and gives its name; the zero Named
// where it was rejected or left out.
func (m *mirror) take(e event, to *connect.Records) connect.Named {
	kind := m.searches[e.search].kind
	m.tables.TakeAs(kind, e.entry, to)
	return to.Last(kind, e.entry.DN)
}

// next waits for changes, and for a little longer, so that those that belong
// together stay together.
func (m *mirror) next(ctx context.Context, events <-chan event) (connect.Patch, error) {
	var p connect.Patch
	pause := time.NewTimer(time.Hour)
	defer pause.Stop()
	pause.Stop()
	for {
		select {
		case <-ctx.Done():
			return p, ctx.Err()
		case <-pause.C:
			m.tables.Finish(&p.Put)
			return p, nil
		case e := <-events:
			if e.err != nil {
				return p, e.err
			}
			if e.fresh {
				continue
			}
			if old := m.known[m.identity(e)]; old.Name != "" {
				p.Drop(old)
			}
			delete(m.known, m.identity(e))
			if !e.gone {
				m.known[m.identity(e)] = m.take(e, &p.Put)
			}
			pause.Reset(quiet)
		}
	}
}

// Changes brings in what changed since a mark that Mark gave, as a patch that
// removes nothing: only a full run shows what was removed.
func (c *Conn) Changes(ctx context.Context, tables *connect.Tables, since string) (connect.Patch, error) {
	var p connect.Patch
	searches, err := c.searches(tables)
	if err != nil {
		return p, err
	}
	for _, s := range searches {
		s.filter = fmt.Sprintf("(&%s(%s>=%s))", s.filter, c.marked(), since)
		err := c.pages(ctx, s, func(e *ldap.Entry) error {
			entry, err := c.entry(e)
			if err == nil {
				tables.TakeAs(s.kind, entry, &p.Put)
			}
			return err
		}, &p.Put)
		if err != nil {
			return p, err
		}
	}
	tables.Finish(&p.Put)
	return p, nil
}

// marked is the attribute by which the server marks changes: a number that
// grows, where it has one, else the time (RFC 4512 section 3.4).
func (c *Conn) marked() string {
	if root, err := c.rootEntry(); err == nil && root.GetEqualFoldAttributeValue("highestCommittedUSN") != "" {
		return "uSNChanged"
	}
	return "modifyTimestamp"
}

// overlap is how far a mark by time reaches back, since the clocks of servers
// differ and entries of one second come one by one.
const overlap = 5 * time.Second

// Mark is a mark for Changes: what changes from now on is after it.
func (c *Conn) Mark(now time.Time) (string, error) {
	if c.marked() == "modifyTimestamp" {
		return now.UTC().Add(-overlap).Format("20060102150405Z"), nil
	}
	c.root = nil // it grows
	root, err := c.rootEntry()
	if err != nil {
		return "", &Error{"search", c.server, err}
	}
	return root.GetEqualFoldAttributeValue("highestCommittedUSN"), nil
}

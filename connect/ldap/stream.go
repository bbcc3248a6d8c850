package ldap

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/directory"
)

// quiet is how long a stream waits for more before it hands on what has changed, and longest
// how long it does so where there is always more.
const (
	quiet   = 20 * time.Millisecond
	longest = time.Second
)

// Streams says whether the server tells changes as they happen (RFC 4533).
func (c *Conn) Streams() bool {
	root, err := c.rootEntry()
	return err == nil && slices.Contains(root.GetEqualFoldAttributeValues("supportedControl"), ldap.ControlTypeSyncRequest)
}

// event is what one search of a stream tells.
type event struct {
	search int
	id     string
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
		return &Error{
			"search",
			c.server,
			errors.New("the server does not send changes as they happen (RFC 4533); use follow: poll"),
		}
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
	above := containers(searches)
	for i, s := range above {
		go c.follow(ctx, len(searches)+i, s, events)
	}
	m := &mirror{
		conn: c, tables: tables, searches: searches, records: connect.NewMirror(), parents: map[string]string{},
		fresh: make([]bool, len(searches)+len(above)), verified: time.Now(), within: map[found]map[int]bool{},
	}
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
	request := ldap.NewSearchRequest(
		s.base.Value,
		scopes[s.base.Scope],
		ldap.NeverDerefAliases,
		0,
		0,
		false,
		s.filter,
		s.attributes,
		nil,
	)
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
			return tell(event{id: state.EntryUUID.String(), gone: true})
		}
		ours, err := c.entry(e)
		if err == nil {
			ours.Identify(state.EntryUUID.String())
		}
		return tell(event{id: state.EntryUUID.String(), entry: ours, err: err})
	}
	info, ok := ldap.FindControl(r.Controls(), ldap.ControlTypeSyncInfo).(*ldap.ControlSyncInfo)
	if !ok {
		return true
	}
	switch {
	case info.RefreshDelete != nil && info.RefreshDelete.RefreshDone,
		info.RefreshPresent != nil && info.RefreshPresent.RefreshDone:
		return tell(event{fresh: true})
	case info.SyncIdSet != nil && info.SyncIdSet.RefreshDeletes:
		for _, id := range info.SyncIdSet.SyncUUIDs {
			if !tell(event{id: id.String(), gone: true}) {
				return false
			}
		}
	}
	return true
}

// Changes brings in what changed in some records since a mark, as a patch that removes
// nothing: only a full run shows what was removed. Groups whose members were
// renamed are read again. The error is connect.ErrAnew where a container was.
func (c *Conn) Changes(
	ctx context.Context,
	tables *connect.Tables,
	since Mark,
	have connect.Records,
) (connect.Patch, error) {
	var p connect.Patch
	searches, err := c.searches(tables)
	if err != nil {
		return p, err
	}
	if err := c.containersMoved(ctx, searches, since); err != nil {
		return p, err
	}
	seen := map[string]bool{}
	for _, s := range searches {
		s.filter = c.changed(s.filter, since)
		if err := c.taken(ctx, s, tables, seen, &p.Put, func(bool) {}); err != nil {
			return p, err
		}
	}
	return p, c.followed(ctx, tables, searches, have, &p)
}

// followed adds to what polls found the groups whose members were renamed or are gone.
func (c *Conn) followed(
	ctx context.Context,
	tables *connect.Tables,
	searches []search,
	have connect.Records,
	p *connect.Patch,
) error {
	c.moved.noteAll(have, p.Put, time.Now())
	err := c.regroup(
		ctx,
		tables,
		searches,
		&c.moved,
		func() []*directory.Group { return have.With(*p).Groups },
		func(_ string, one *connect.Records) {
			p.Put.Groups = merged(p.Put.Groups, one.Groups)
			p.Put.Rejected = append(p.Put.Rejected, one.Rejected...)
		},
	)
	tables.Finish(&p.Put)
	return err
}

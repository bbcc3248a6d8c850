package intake

import (
	"context"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/stage"
	"gatemap/store"
)

// prepared is an intake computed against one head: what would be in force if it
// were committed.
type prepared struct {
	directory *directory.Document
	head      *query.Head
	brought   brought
	records   connect.Records // as they came
	settled   connect.Records
	delta     connect.Delta
	folder    *content.Folder
	atlas     *atlas.Atlas
	trial     *change.Trial
	put       []store.Pending
	gone      []store.Key
	files     []mapfile.File // with the names that the run changes; nil: as they were
	rewritten []stage.Rewriting
	departed  []store.Departed
	returned  []store.Departed
	reused    []store.Departed
	names     map[string]bool // that documents have (named)
	step      bool            // it came by itself, and what it takes away counts with what follows
}

// prepare computes what a run brings would change. Nothing is committed.
func (s *Plans) prepare(head *query.Head, named string, b brought) (*prepared, error) {
	d := head.Folder.Directory(named)
	if d == nil {
		return nil, head.Folder.Missing(named)
	}
	records := b.on(head, d.Name, s.Written)
	p := &prepared{directory: d, head: head, brought: b, records: records}
	before := head.Folder.Records[d.Name]
	p.settled, p.delta = connect.Settle(before, staying(d.Source, before, records))
	p.settled.Resources = records.Resources
	if err := p.rewrite(); err != nil {
		return nil, err
	}
	p.rows()
	p.folder = head.Folder.With(d.Name, p.settled)
	if p.files != nil {
		if err := p.refile(); err != nil {
			return nil, err
		}
	}
	if err := s.lookAtNames(p); err != nil {
		return nil, err
	}
	if p.delta.Empty() {
		p.atlas = head.Atlas
		return p, nil
	}
	var err error
	if p.trial, err = change.Try(head.Atlas, head.Folder.Map, p.folder.Map); err != nil {
		return nil, &content.LoadError{From: "the intake of " + d.Name, Err: err}
	}
	p.atlas = p.trial.Atlas
	return p, nil
}

// staying adds to the records that came in the accounts that are to stay, though
// the source does not have them any more.
func staying(s *directory.Source, before, now connect.Records) connect.Records {
	if s == nil || s.Vanished != "deactivate" {
		return now
	}
	has, is := make(map[string]bool, len(now.Users)), make(map[string]bool, len(now.Users))
	for _, u := range now.Users {
		has[name.Fold(u.Name)], is[u.ID] = true, u.ID != ""
	}
	for _, u := range before.Users {
		if has[name.Fold(u.Name)] || is[u.ID] {
			continue
		}
		if u.IsActive() {
			off := *u
			off.Active = new(bool)
			u = &off
		}
		now.Users = append(now.Users[:len(now.Users):len(now.Users)], u)
	}
	return now
}

// empty says that nothing would be written.
func (p *prepared) empty() bool { return len(p.put)+len(p.gone) == 0 }

// outcome computes who gains and loses what.
func (p *prepared) outcome() (*change.Summary, error) {
	if p.atlas == p.head.Atlas {
		return &change.Summary{}, nil
	}
	return p.trial.Summary(situation.Situation{}, change.LookedAt, shown)
}

// commit makes a prepared intake the newest revision. Where the head has moved
// since, it is recomputed on that first; again is asked whether what comes
// out is still to be committed.
func (s *Plans) commit(
	ctx context.Context,
	p *prepared,
	by operator.Actor,
	reason string,
	again func(*prepared) error,
) (store.Revision, error) {
	const patience = 3 // others wait for this only where the head moves each time that it is computed
	for range patience {
		if err := s.renew(p, again); err != nil {
			return store.Revision{}, err
		}
	}
	s.History.Lock()
	defer s.History.Unlock()
	if err := s.renew(p, again); err != nil {
		return store.Revision{}, err
	}
	if p.empty() {
		return p.head.Revision, nil
	}
	next := store.Revision{
		At:       time.Now(),
		Author:   by.Name,
		Origin:   by.Origin,
		Reason:   reason,
		Departed: p.departed,
		Returned: p.returned,
	}
	var err error
	if next.Taken, err = p.counted(); err != nil {
		return store.Revision{}, err
	}
	if by.IsService() || by.How == "push" {
		next.Exempt, err = s.Rights.Exempt(ctx, "runs of a source and pushes")
	}
	if err != nil {
		return store.Revision{}, err
	}
	return s.History.Amend(ctx, next, p.put, p.gone, p.folder, p.atlas)
}

// renew recomputes a prepared intake if the head has moved since.
func (s *Plans) renew(p *prepared, again func(*prepared) error) error {
	head := s.History.Head()
	if head == p.head {
		return nil
	}
	fresh, err := s.prepare(head, p.directory.Name, p.brought)
	if err == nil && again != nil {
		err = again(fresh)
	}
	if err == nil {
		fresh.step = p.step
		*p = *fresh
	}
	return err
}

// counts are how much of what an intake changes.
func (p *prepared) counts() answer.Counts {
	d := &p.delta
	c := answer.Counts{
		Users: len(p.settled.Users), Groups: len(p.settled.Groups), Devices: len(p.settled.Devices),
		Joined: len(d.Joined), Left: len(d.Left), Changed: len(d.Changed), Off: d.Off(),
		NewGroups: len(d.NewGroups), GoneGroups: len(d.GoneGroups), ChangedGroups: len(d.ChangedGroups),
		OtherDevices: len(d.NewDevices) + len(d.GoneDevices) + len(d.OtherDevices),
		Rejected:     len(p.records.Rejected), Alone: len(p.folder.Alone[p.directory.Name]),
	}
	for _, g := range d.ChangedGroups {
		c.Added += len(g.Added)
		c.Removed += len(g.Removed)
	}
	return c
}

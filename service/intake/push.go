package intake

import (
	"context"
	"fmt"
	"reflect"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/scim"
	"gatemap/core/change"
	"gatemap/core/directory"
	"gatemap/operator"
	"gatemap/service/content"
)

// pushedTo is what was pushed to a directory, read once.
type pushedTo struct {
	from      connect.Records // that it was read from, which it keeps
	directory *scim.Directory
}

// is says whether it was read from records. Both keep theirs, so that the resources of others
// are never at the same place.
func (p *pushedTo) is(r connect.Records) bool {
	return p.directory != nil && reflect.ValueOf(p.from.Resources).Pointer() == reflect.ValueOf(r.Resources).Pointer()
}

// Pushed is what was pushed to a directory and is in force.
func (s *Pushes) Pushed(named string) (*scim.Directory, error) {
	pushed, err := s.pushed(named)
	return pushed.directory, err
}

func (s *Pushes) pushed(named string) (pushedTo, error) {
	l := s.runs.lanes.lane(named)
	l.mu.Lock()
	defer l.mu.Unlock()
	r := s.History.Head().Folder.Records[named]
	if !l.pushed.is(r) {
		d, err := scim.Read(r, s.extensions(named))
		if err != nil {
			return pushedTo{}, err
		}
		l.pushed = pushedTo{r, d}
	}
	return l.pushed, nil
}

// extensions says what becomes of attributes of extensions that are pushed to a directory.
func (s *Pushes) extensions(named string) scim.Extensions {
	if d := s.History.Head().Folder.Directory(named); d != nil && content.Pushed(d.Source) {
		return d.Source.Connection.Document.(*scim.Document).Extensions
	}
	return ""
}

// Push changes what was pushed to a directory, and no record besides: what a trial made of
// others stays. When it returns, the change is in force, as a revision of its own; where the
// change fails, nothing has changed. The error is an *answer.ConflictError where it is held:
// it waits as a run then, until someone confirms it.
func (s *Pushes) Push(
	ctx context.Context,
	named, reason string,
	turn func(*scim.Directory) (*scim.Directory, error),
) error {
	l := s.runs.lanes.lane(named)
	l.busy.Lock()
	defer l.busy.Unlock()
	from, err := s.pushed(named)
	if err != nil {
		return err
	}
	before := from.directory
	after, err := turn(before)
	if err != nil || after == before {
		return err
	}
	p, err := s.runs.plans.prepare(s.History.Head(), named, pushing(before, after))
	if err != nil {
		return err
	}
	// It is done even when the caller has gone: half of it must not be.
	ctx = context.WithoutCancel(ctx)
	by := operator.Actor{Name: "push to " + named, How: "push"}
	if err := s.runs.plans.remember(ctx, l, named); err != nil {
		return err
	}
	p.step = true
	if held := l.guardPush(p); held != "" {
		return s.hold(ctx, l, by, p, held, before, after)
	}
	taken := p.taken()
	if _, err := s.runs.plans.commit(ctx, p, by, reason, nil); err != nil {
		return err
	}
	l.lately.note(taken, time.Now())
	if from.is(p.head.Folder.Records[named]) {
		l.mu.Lock()
		l.pushed = pushedTo{p.settled, after}
		l.mu.Unlock()
	}
	if w := l.waiting(); w != nil {
		return s.along(ctx, w, before, after)
	}
	return nil
}

// guardPush says why a push is held: as changes that come by themselves are, but for the
// first user, and the first group, that goes, since a push is of one record.
func (l *lane) guardPush(p *prepared) string { return p.heldAfter(l.lately.within(time.Now()), 1) }

// hold lets a push wait, together with those that wait already.
func (s *Pushes) hold(
	ctx context.Context,
	l *lane,
	by operator.Actor,
	p *prepared,
	why string,
	before, after *scim.Directory,
) error {
	r := l.waiting()
	var err error
	if r != nil {
		err = s.along(ctx, r, before, after)
	} else if r, err = s.runs.journal.begin(ctx, p.directory.Name, ByPush, by); err == nil {
		err = s.runs.reconcile(ctx, l, r, p, pass{Intaking: Intaking{By: by}, step: true})
	}
	if err != nil {
		return err
	}
	id := r.snapshot().ID
	return &answer.ConflictError{
		Message: fmt.Sprintf(
			"this is held as run %d until someone confirms it: %s. Look at it with gatemap intake show %d, "+
				"and commit or discard it there",
			id,
			why,
			id,
		),
	}
}

// pushing is what a push brings.
func pushing(before, after *scim.Directory) brought {
	p := before.To(after)
	return brought{patch: &p}
}

// along makes a push part of a run that waits too: the run is of everything that was pushed
// when it is confirmed.
func (s *Pushes) along(ctx context.Context, r *run, before, after *scim.Directory) error {
	r.mu.Lock()
	p := r.prepared
	r.mu.Unlock()
	waits, err := scim.Read(p.records, "")
	if err != nil {
		return err
	}
	inForce, err := s.Pushed(p.directory.Name)
	if err != nil {
		return err
	}
	fresh, err := s.runs.plans.prepare(s.History.Head(), p.directory.Name, pushing(inForce, waits.With(before, after)))
	if err != nil {
		return err
	}
	return s.runs.rework(ctx, r, fresh, previewOf(fresh, &change.Summary{}), heldAlone(fresh))
}

// PushedGroups gives the groups of a pushed user that were pushed as well.
func (s *Pushes) PushedGroups(named string, d *scim.Directory) func(*scim.Resource) []scim.Membership {
	book := s.History.Head().Atlas.Book
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

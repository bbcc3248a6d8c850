package readings

import (
	"cmp"
	"context"
	"fmt"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/gate"
	"gatemap/core/reading"
	"gatemap/operator"
	"gatemap/service/query"
)

// mostBeyond is how much of what a gate type cannot express is told with a reading.
const mostBeyond = 100

// staleAfter is how many times as old as its link wants it a reading is stale.
const staleAfter = 3

// List lists the linked systems of the map, by name.
func (s *Readings) List(ctx context.Context) (*answer.LinkedSystems, error) {
	head := s.Head()
	all := &answer.LinkedSystems{Systems: []answer.Linked{}}
	for d := range linkedIn(head) {
		l, err := s.describe(ctx, head, d)
		if err != nil {
			return nil, err
		}
		all.Systems = append(all.Systems, *l)
	}
	return all, nil
}

func (s *shelf) describe(ctx context.Context, head *query.Head, d *gate.System) (*answer.Linked, error) {
	l := &answer.Linked{System: d.Name, Title: d.Title, Kind: d.Link.Connection.Name}
	if every := d.Link.Every; every.Duration > 0 {
		l.Every = every.String()
	}
	if connect.LinkOf(d).Deliverer() != nil {
		l.Deliver = string(cmp.Or(d.Link.Deliver, gate.ByHand))
	}
	k := s.kept(d.Name)
	if s.AtOnce && !k.any() {
		_ = s.take(ctx, operator.Service, head, d) // what fails is told below
	}
	k.mu.Lock()
	row := k.row
	l.Busy = k.going
	k.mu.Unlock()
	l.Failed, l.Error = row.Failed, row.Error
	if !row.Tried.IsZero() {
		l.Tried = new(row.Tried)
	}
	if row.At.IsZero() {
		return l, nil
	}
	real, err := s.compiled(ctx, head, d)
	if err != nil {
		return nil, err
	}
	l.Newest = infoOf(real, d)
	return l, nil
}

// staleWords say how old a reading is that is stale.
func staleWords(i *answer.ReadingInfo) string {
	return fmt.Sprintf(
		"newest reading of %s is of %s, older than three times what its link says",
		i.System,
		i.At.UTC().Format("2006-01-02 15:04 UTC"),
	)
}

func infoOf(c *reading.Compiled, d *gate.System) *answer.ReadingInfo {
	i := &answer.ReadingInfo{
		System: c.Reading.System, At: c.At, Server: c.Server, Accounts: len(c.Accounts), Groups: len(c.Groups),
		Tied: len(c.UserOf), Strangers: len(c.Strangers()),
		Beyond: c.Beyond[:min(len(c.Beyond), mostBeyond)], BeyondAll: len(c.Beyond), Unseen: c.Unseen,
	}
	for _, a := range c.Accounts {
		if c.Ignored(a.Name) {
			i.Ignored++
		}
	}
	if i.Beyond == nil {
		i.Beyond = []reading.Beyond{}
	}
	if i.Unseen == nil {
		i.Unseen = []string{}
	}
	if every := d.Link.Every.Duration; every > 0 {
		i.Stale = time.Since(c.At) > staleAfter*every
	}
	return i
}

// unread says that a system was not read yet, and perhaps why.
func unread(system, failed string) error {
	if failed != "" {
		failed = " (the last try failed: " + failed + ")"
	}
	return &answer.ConflictError{
		Message: fmt.Sprintf(
			"there is no reading of the system %s yet%s: read it with gatemap reading run %s",
			system,
			failed,
			system,
		),
	}
}

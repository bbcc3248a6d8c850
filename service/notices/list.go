package notices

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/notice"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/page"
	"gatemap/store"
)

// List are the receivers, and what they were told, the newest first. Who is limited to systems sees
// the notices of these alone.
func (s *Notices) List(ctx context.Context, by operator.Actor, limit int, cursor string) (*answer.Notices, error) {
	before, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	rows, err := s.Store.Notices(ctx, int64(before), limit+1)
	if err != nil {
		return nil, err
	}
	out := &answer.Notices{Receivers: []answer.Receiver{}, Notices: []answer.Sent{}}
	rows, out.Next = page.Cut(rows, limit, func(n *store.Notice) int64 { return n.Number })
	for i := range rows {
		sent, err := ofRow(&rows[i])
		if err != nil {
			return nil, err
		}
		if by.Systems == nil || sent.Of != "" && by.Sees(sent.Of) {
			out.Notices = append(out.Notices, sent)
		}
	}
	out.Receivers, err = s.listed(ctx)
	return out, err
}

func ofRow(row *store.Notice) (answer.Sent, error) {
	sent := answer.Sent{Number: row.Number, State: answer.NoticeWaiting, Tries: row.Tries, Error: row.Error}
	if !row.Ended.IsZero() {
		sent.State, sent.Ended = answer.NoticeSent, &row.Ended
		if row.Error != "" {
			sent.State = answer.NoticeGivenUp
		}
	}
	return sent, json.Unmarshal(row.Body, &sent.Notice)
}

// listed are the receivers, by name.
func (s *Notices) listed(ctx context.Context) ([]answer.Receiver, error) {
	waiting, err := s.Store.WaitingNotices(ctx)
	if err != nil {
		return nil, err
	}
	told, err := s.told(ctx)
	if err != nil {
		return nil, err
	}
	all, to := []answer.Receiver{}, s.receivers()
	for _, folded := range slices.Sorted(maps.Keys(to)) {
		d, n := to[folded], connect.NotifierOf(to[folded])
		r := answer.Receiver{
			Name:   d.Name,
			Kind:   n.Connector().Name,
			To:     n.Recipient(),
			About:  d.About,
			Stands: len(told[folded]),
		}
		if len(r.About) == 0 {
			for _, t := range notice.Topic("").Values() {
				r.About = append(r.About, notice.Topic(t))
			}
		}
		for _, x := range d.Systems {
			r.Systems = append(r.Systems, x.Name)
		}
		if d.Digest.Duration > 0 {
			r.Digest = d.Digest.String()
		}
		if i := slices.IndexFunc(waiting, func(w store.Waiting) bool { return w.Receiver == folded }); i >= 0 {
			r.Waiting, r.Due, r.Error = waiting[i].Notices, &waiting[i].Due, waiting[i].Error
		}
		all = append(all, r)
	}
	return all, nil
}

// Test sends a notice to a receiver at once, that says that it is a test. It needs the right to
// connect; the error is that of the receiver where it did not arrive.
func (s *Notices) Test(ctx context.Context, by operator.Actor, named string) (*answer.NoticeTested, error) {
	to := s.receivers()
	d := to[name.Fold(named)]
	if d == nil {
		var names []string
		for _, folded := range slices.Sorted(maps.Keys(to)) {
			names = append(names, to[folded].Name)
		}
		return nil, &directory.NotFoundError{Kind: "receiver", Name: named, Near: name.Near(named, slices.Values(names))}
	}
	if err := s.Rights.MayReach(ctx, by, "the receiver "+d.Name); err != nil {
		return nil, err
	}
	now := time.Now().UTC()
	n := notice.Notice{
		ID: uuid.NewString(), Receiver: d.Name, Turn: notice.Test, Since: now, At: now,
		Text: "This is a test: notices of the map arrive here.",
	}
	if _, err := s.sender.send(ctx, d, []notice.Notice{n}); err != nil {
		return nil, &answer.ConflictError{Message: "the test did not arrive at " + d.Name + ": " + err.Error()}
	}
	return &answer.NoticeTested{Receiver: d.Name, To: connect.NotifierOf(d).Recipient(), ID: n.ID},
		s.Audit.Note(ctx, by, "test notices", d.Name, audit.Done, "")
}

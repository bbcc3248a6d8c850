package notices

import (
	"context"
	"encoding/json"
	"sync"
	"time"

	"gatemap/connect"
	"gatemap/core/name"
	"gatemap/core/notice"
	"gatemap/store"
)

// How much is sent in one message, how long is waited after a try at most, and for how long it is
// tried.
const (
	mostSent = 100
	mostWait = 15 * time.Minute
	givenUp  = 7 * 24 * time.Hour
)

// Counts are how many notices were sent to a receiver since the start, and how often that failed.
type Counts struct{ Sent, Failed int }

// sender sends what is kept for the receivers.
type sender struct {
	*Ports
	wake   chan struct{} // has something where there may be something to send
	mu     sync.Mutex
	busy   map[string]bool   // the receivers that something is being sent to, folded
	counts map[string]Counts // by the name of the receiver
}

// all are the counts of each receiver, by name.
func (s *sender) all() map[string]Counts {
	s.mu.Lock()
	defer s.mu.Unlock()
	all := make(map[string]Counts, len(s.counts))
	for _, d := range s.receivers() {
		all[d.Name] = s.counts[d.Name]
	}
	return all
}

// awake says that there may be something to send.
func (s *sender) awake() {
	select {
	case s.wake <- struct{}{}:
	default:
	}
}

// run sends what is due, to all receivers at once, until the workspace is closed.
func (s *sender) run() {
	for {
		wait := looked
		waiting, err := s.Store.WaitingNotices(s.Closing)
		if err != nil && s.Closing.Err() == nil {
			s.Log.Error("it cannot be seen what is to be sent", "error", err)
		}
		to := s.receivers()
		for _, w := range waiting {
			d := to[w.Receiver]
			if d == nil {
				continue
			}
			if left := time.Until(w.Due); left > 0 {
				wait = min(wait, left)
			} else if s.begin(w.Receiver) {
				s.Working.Go(func() { s.sendDue(d, w.Tries) })
			}
		}
		select {
		case <-s.Closing.Done():
			return
		case <-s.wake:
		case <-time.After(wait):
		}
	}
}

// begin says whether nothing is being sent to a receiver, and that something is now.
func (s *sender) begin(folded string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	free := !s.busy[folded]
	s.busy[folded] = true
	return free
}

func (s *sender) end(folded string) {
	s.mu.Lock()
	delete(s.busy, folded)
	s.mu.Unlock()
	s.awake()
}

// sendDue sends what is due to a receiver, after so many tries.
func (s *sender) sendDue(d *notice.Document, tries int) {
	folded := name.Fold(d.Name)
	defer s.end(folded)
	now := time.Now()
	due, err := s.Store.DueNotices(s.Closing, folded, now, mostSent)
	if err != nil || len(due) == 0 {
		return
	}
	notices := make([]notice.Notice, len(due))
	for i := range due {
		if err := json.Unmarshal(due[i].Body, &notices[i]); err != nil {
			s.Log.Error("a notice cannot be read", "number", due[i].Number, "error", err)
			return
		}
	}
	arrived, failed := s.send(s.Closing, d, notices)
	if arrived > 0 {
		s.count(d, Counts{Sent: arrived})
		err = s.Store.EndNotices(s.Closing, folded, due[arrived-1].Number, time.Now(), "")
	}
	if failed != nil && err == nil && s.Closing.Err() == nil {
		s.count(d, Counts{Failed: 1})
		s.Log.Warn("a notice cannot be sent", "receiver", d.Name, "error", failed)
		if arrived > 0 {
			tries = 0 // it goes on
		}
		err = s.later(d, due[arrived:], now, tries, failed.Error())
	}
	if err != nil && s.Closing.Err() == nil {
		s.Log.Error("it cannot be noted what was sent", "receiver", d.Name, "error", err)
	}
}

// later notes that notices could not be sent, after so many tries: they are tried again, or given up.
func (s *sender) later(d *notice.Document, due []store.Notice, now time.Time, tries int, why string) error {
	folded := name.Fold(d.Name)
	if now.Sub(due[0].At) > givenUp {
		return s.Store.EndNotices(s.Closing, folded, due[len(due)-1].Number, time.Now(), why)
	}
	return s.Store.DelayNotices(s.Closing, folded, now, time.Now().Add(s.pause(tries)), why)
}

// pause is how long is waited after a message that could not be sent, when so many could not before.
func (s *sender) pause(tries int) time.Duration {
	first := s.RetryAfter
	if first == 0 {
		first = time.Second
	}
	return min(first<<min(tries, 12), mostWait)
}

func (s *sender) send(ctx context.Context, d *notice.Document, notices []notice.Notice) (arrived int, err error) {
	return connect.NotifierOf(d).Send(ctx, &connect.Message{
		Map: s.Head().Folder.Written.Map.Title, Notices: notices, Digest: d.Digest.Duration > 0, Host: *s.Host,
	})
}

func (s *sender) count(d *notice.Document, more Counts) {
	s.mu.Lock()
	defer s.mu.Unlock()
	c := s.counts[d.Name]
	s.counts[d.Name] = Counts{c.Sent + more.Sent, c.Failed + more.Failed}
}

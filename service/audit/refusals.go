package audit

import (
	"context"
	"fmt"
	"sync"
	"time"

	"gatemap/operator"
)

// Of those who are not known so many refusals in so long are entries of the audit of their
// own; what is more is summed up in one, so that nobody can fill the disk with them.
const (
	refusalsInFull = 60
	refusalsSpan   = time.Minute
	rememberFrom   = 1000 // addresses that are told apart in a sum
)

// refusals counts the refusals of a span.
type refusals struct {
	mu    sync.Mutex
	full  int // entries of their own
	more  int // that were not
	from  map[string]bool
	begun time.Time
}

// take says whether a refusal is to be an entry of its own; sum is called once, after a
// span in which some were not.
func (r *refusals) take(origin string, now time.Time, sum func()) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if now.Sub(r.begun) >= refusalsSpan && r.more == 0 {
		r.begun, r.full, r.from = now, 0, map[string]bool{}
	}
	if r.full < refusalsInFull {
		r.full++
		return true
	}
	if r.more++; r.more == 1 {
		time.AfterFunc(refusalsSpan-now.Sub(r.begun), sum)
	}
	if len(r.from) < rememberFrom {
		r.from[origin] = true
	}
	return false
}

// SumUp adds the entry that sums up.
func (s *Log) SumUp() {
	r := &s.refusals
	r.mu.Lock()
	more, from, begun := r.more, len(r.from), r.begun
	r.more, r.begun = 0, time.Time{}
	r.mu.Unlock()
	if more == 0 {
		return
	}
	addresses := fmt.Sprintf("%d addresses", from)
	if from >= rememberFrom {
		addresses = "many addresses"
	}
	detail := fmt.Sprintf("%d more since %s, from %s", more, begun.UTC().Format(time.RFC3339), addresses)
	if err := s.Note(context.Background(), operator.Service, "sign-in", "", Refused, detail); err != nil {
		s.log.Error("the audit cannot be written", "error", err)
	}
}

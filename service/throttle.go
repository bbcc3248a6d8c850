package service

import (
	"fmt"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"

	"gatemap/answer"
)

// After so many sign-ins that failed in a row, of one name or from one address, each
// further one has to wait: twice as long each time.
const (
	freeTries    = 5
	freeTriesOf  = 20 // from one address, which many may share
	shortestWait = 2 * time.Second
	longestWait  = 15 * time.Minute
	rememberLast = 10_000 // names and addresses
)

// throttle slows down who guesses.
type throttle struct {
	mu    sync.Mutex
	tries *lru.Cache[string, try]
}

type try struct {
	failed int
	last   time.Time
}

func newThrottle() *throttle {
	tries, _ := lru.New[string, try](rememberLast) // fails without room alone
	return &throttle{tries: tries}
}

// anyone is the key of those who give no name: they are told apart by address alone.
const anyone = "name "

// wait says how long someone has to wait.
func (t *throttle) wait(name, address string, now time.Time) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	return max(t.left("name "+name, freeTries, now), t.left("address "+address, freeTriesOf, now))
}

func (t *throttle) left(key string, free int, now time.Time) time.Duration {
	x, known := t.tries.Get(key)
	if !known || x.failed < free || key == anyone {
		return 0
	}
	wait := longestWait
	if by := x.failed - free; by < 10 {
		wait = min(shortestWait<<by, longestWait)
	}
	return x.last.Add(wait).Sub(now)
}

// note notes how a try ended.
func (t *throttle) note(name, address string, ok bool, now time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, key := range []string{"name " + name, "address " + address} {
		if key == anyone {
			continue
		}
		x, _ := t.tries.Get(key)
		if ok {
			t.tries.Remove(key)
		} else {
			t.tries.Add(key, try{x.failed + 1, now})
		}
	}
}

func tooMany(wait time.Duration) error {
	return &answer.Problem{
		Title: "Too many tries", Status: 429, Wait: int(wait.Seconds()) + 1,
		Detail: fmt.Sprintf("too many failed sign-ins; try again in %s", wait.Round(time.Second)),
	}
}

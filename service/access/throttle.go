package access

import (
	"net/netip"
	"sync"
	"time"

	lru "github.com/hashicorp/golang-lru/v2"
)

// After so many sign-ins that failed in a row, of one name from one address, or from one
// address, each further one has to wait: twice as long each time. Nobody waits for what
// others try elsewhere.
const (
	freeTries    = 5
	freeTriesOf  = 20 // from one address, which many may share
	shortestWait = 2 * time.Second
	longestWait  = 15 * time.Minute
	rememberLast = 10_000 // addresses, and names at them
)

// throttle slows down who guesses.
type throttle struct {
	mu    sync.Mutex
	tries *lru.Cache[tryKey, try]
}

// tryKey is a name at an address; of all names there, "".
type tryKey struct{ name, address string }

type try struct {
	failed int
	last   time.Time
}

func newThrottle() *throttle {
	tries, _ := lru.New[tryKey, try](rememberLast) // fails without room alone
	return &throttle{tries: tries}
}

// begin says how long someone has to wait. Where that is not at all, the try counts as
// failed at once, so that many at a time are no more than many in a row.
func (t *throttle) begin(name, address string, now time.Time) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	keys := keysOf(name, address)
	for i, free := range []int{freeTriesOf, freeTries}[:len(keys)] {
		if wait := t.left(keys[i], free, now); wait > 0 {
			return wait
		}
	}
	for _, key := range keys {
		x, _ := t.tries.Get(key)
		t.tries.Add(key, try{x.failed + 1, now})
	}
	return 0
}

// keysOf are what a try counts for: the address, and the name there. A host chooses
// among 2^64 addresses of IPv6 (RFC 4291 section 2.5.4), so these count as one.
func keysOf(name, address string) []tryKey {
	if ip, err := netip.ParseAddr(address); err == nil && ip.Is6() && !ip.Is4In6() {
		network, _ := ip.WithZone("").Prefix(64) // fails for longer prefixes alone
		address = network.String()
	}
	if name == "" {
		return []tryKey{{"", address}}
	}
	return []tryKey{{"", address}, {name, address}}
}

func (t *throttle) left(key tryKey, free int, now time.Time) time.Duration {
	x, known := t.tries.Get(key)
	if !known || x.failed < free {
		return 0
	}
	wait := longestWait
	if by := x.failed - free; by < 10 {
		wait = min(shortestWait<<by, longestWait)
	}
	return x.last.Add(wait).Sub(now)
}

// failed notes when a try was answered: who guesses waits from then on, however long
// the answer took.
func (t *throttle) failed(name, address string, now time.Time) {
	t.change(name, address, func(x *try) { x.last = now })
}

// succeeded takes back that a try counts as failed, and all before it of this name at
// this address. What counts for the address stays: who knows one password guesses no
// more of the others.
func (t *throttle) succeeded(name, address string) {
	t.takeBack(name, address)
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, key := range keysOf(name, address)[1:] {
		t.tries.Remove(key)
	}
}

// takeBack takes back that a try counts as failed.
func (t *throttle) takeBack(name, address string) {
	t.change(name, address, func(x *try) { x.failed = max(x.failed-1, 0) })
}

// change changes what is known of a name at an address, and of the address.
func (t *throttle) change(name, address string, to func(*try)) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, key := range keysOf(name, address) {
		if x, known := t.tries.Get(key); known {
			to(&x)
			t.tries.Add(key, x)
		}
	}
}

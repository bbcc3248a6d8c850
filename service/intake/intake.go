// Package intake brings in what directories hold: on schedule, by hand, as a stream, as a push,
// or from a folder on the host. Each time is a run: it is prepared on what is in force, guarded,
// logged, and committed or held until someone confirms it.
package intake

import (
	"context"
	"log/slog"
	"strings"
	"sync"

	"gatemap/connect"
	"gatemap/service/audit"
	"gatemap/service/events"
	"gatemap/service/history"
	"gatemap/service/rights"
	"gatemap/store"
)

// Ports are what intakes need of the service that they are of.
type Ports struct {
	Store   *store.Store
	History *history.History
	Rights  *rights.Rights
	Audit   *audit.Log
	Events  *events.Events
	Log     *slog.Logger
	Host    *connect.Host        // what the map may read on the host; it is set before the first run
	Busy    func() (rest func()) // is called when much is about to be read, and rest when it was
	Written Written
	Closing context.Context // ends when the service is being closed
	Working *sync.WaitGroup // counts what goes on
}

// Journal is the log of runs.
type Journal struct{ Ports }

// Plans are what runs would do, computed on what is in force.
type Plans struct {
	Ports
	lanes *lanes
}

// Runs are the runs of directories that are read, and those that wait.
type Runs struct {
	Ports
	lanes   *lanes
	journal *Journal
	plans   *Plans
}

// Pushes take in what is pushed.
type Pushes struct {
	Ports
	runs *Runs
}

// Follower follows directories, by schedule and by stream.
type Follower struct {
	Ports
	runs *Runs
}

// Folders take in a folder on the host.
type Folders struct {
	Ports
	runs *Runs
}

// Intake is everything by which records come into a map.
type Intake struct {
	Journal  *Journal
	Runs     *Runs
	Pushes   *Pushes
	Follower *Follower
	Folders  *Folders
}

// Open makes ready to take in. Runs that a stop or a crash cut off are logged as such.
func Open(ctx context.Context, p Ports) (*Intake, error) {
	l := &lanes{of: map[string]*lane{}}
	j := &Journal{p}
	r := &Runs{p, l, j, &Plans{p, l}}
	return &Intake{j, r, &Pushes{p, r}, &Follower{p, r}, &Folders{p, r}}, j.cutOff(ctx)
}

// lanes are the lanes of directories.
type lanes struct {
	mu sync.Mutex
	of map[string]*lane // by the folded names of directories
}

// lane is the lane of a directory.
func (l *lanes) lane(named string) *lane {
	l.mu.Lock()
	defer l.mu.Unlock()
	key := strings.ToLower(named)
	if l.of[key] == nil {
		l.of[key] = &lane{}
	}
	return l.of[key]
}

// Package changeset stages changes of a map in trials, says what they would do, and commits
// them. It decides what a trial is; where trials and maps are kept, and who may, is told it by
// its ports, which a service and a map folder have.
package changeset

import (
	"context"
	"log/slog"
	"runtime"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/service/events"
	"gatemap/service/query"
	"gatemap/service/rights"
	"gatemap/service/writes"
	"gatemap/store"
)

// Keeper keeps trials. A version of one takes the place of the version before alone: else the
// error is store.ErrMoved. Each entry is for the audit.
type Keeper interface {
	Trial(ctx context.Context, named string) (t store.Trial, known bool, err error)
	TrialsAfter(ctx context.Context, named string) ([]store.Trial, error)
	CreateTrial(ctx context.Context, t *store.Trial, e store.Entry) error
	UpdateTrial(ctx context.Context, t *store.Trial, e store.Entry) error
	RemoveTrial(ctx context.Context, named string, version int, e store.Entry) error
}

// History is what is in force, and what takes its place. It is locked while a commit looks at
// the one and makes the other.
type History interface {
	sync.Locker
	Head() *query.Head
	Amend(
		ctx context.Context,
		r store.Revision,
		put []store.Pending,
		gone []store.Key,
		f *content.Folder,
		a *atlas.Atlas,
	) (store.Revision, error)
}

// Past is what was in force.
type Past interface {
	Revision(ctx context.Context, number int) (r store.Revision, known bool, err error)
	RevisionByKey(ctx context.Context, key string) (r store.Revision, known bool, err error)
	Revisions(ctx context.Context, before, limit int) ([]store.Revision, error)
	Turned(ctx context.Context, number, limit int) ([]store.Turn, error)
}

// Rights say who may do what. A refusal is an *operator.ForbiddenError.
type Rights interface {
	MayCommit(ctx context.Context, by operator.Actor, parts ...rights.Begun) error
	MayConnect(ctx context.Context, by operator.Actor, before, after *content.Folder) error
	Exempt(ctx context.Context, what string) (string, error)
}

// Ports are what changes need of the place where a map is.
type Ports struct {
	Keeper  Keeper
	History History
	Past    Past
	Rights  Rights
	Events  *events.Events
	Log     *slog.Logger
	// Writes writes records where they come from; nil: that is left to whoever commits.
	Writes *writes.Writes
}

// Trials are the trials of a map: begun, changed, and let go.
type Trials struct {
	Ports
	bench *Bench
}

// Commits make trials revisions, and revisions trials that revert them.
type Commits struct {
	Ports
	bench  *Bench
	trials *Trials
}

// Outcomes are what trials would do.
type Outcomes struct{ bench *Bench }

// OwnGroups are the groups that someone manages, who need not be an operator.
type OwnGroups struct {
	Ports
	bench   *Bench
	commits *Commits
}

// Changes are the trials of a map and everything that is done with them.
type Changes struct {
	*Bench
	Trials    *Trials
	Commits   *Commits
	Outcomes  *Outcomes
	OwnGroups *OwnGroups
}

// Open opens the trials of a map.
func Open(p Ports) *Changes {
	b := &Bench{Ports: p, room: make(chan struct{}, max(2, runtime.GOMAXPROCS(0)))}
	b.tried, _ = lru.New[string, *tried](maxTried) // fails without room alone
	b.told, _ = lru.New[trialOn, *answer.Trial](maxTold)
	t := &Trials{p, b}
	c := &Commits{p, b, t}
	return &Changes{b, t, c, &Outcomes{b}, &OwnGroups{p, b, c}}
}

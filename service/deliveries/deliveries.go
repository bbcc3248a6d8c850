// Package deliveries brings linked systems to what the map says: it works out with which statements,
// shows them, has them made, and reads again (docs/connected.md, "Delivery"). Nothing reaches a
// system that was not shown before. It does not change the map.
package deliveries

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"github.com/google/uuid"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/events"
	"gatemap/service/keeping"
	"gatemap/service/packed"
	"gatemap/service/query"
	"gatemap/service/readings"
	"gatemap/service/rights"
	"gatemap/store"
)

// Ports are what deliveries need of the workspace that they are of.
type Ports struct {
	Store    *store.Store
	Head     func() *query.Head
	Host     *connect.Host
	Rights   *rights.Rights
	Readings *readings.Readings
	Events   *events.Events
	Log      *slog.Logger
	Closing  context.Context // ends when the workspace is being closed
	Working  *sync.WaitGroup // counts what goes on
}

// Deliveries are the deliveries of one map. They are safe for use by many.
type Deliveries struct {
	Ports
	RetryAfter time.Duration // how long is waited after a delivery that could not be made, at first; 0: a minute

	mark string // of the map, in systems
	mu   sync.Mutex
	busy map[string]*sync.Mutex // by the folded names of systems
}

// settingMap is the name of the setting that holds what the map is called in systems.
const settingMap = "map-mark"

// Open makes ready to deliver. Deliveries that a stop cut off are looked at by Follow.
func Open(ctx context.Context, p Ports) (*Deliveries, error) {
	mark, err := p.Store.Setting(ctx, settingMap)
	if err == nil && mark == "" {
		mark = uuid.NewString()
		err = p.Store.Set(ctx, map[string]string{settingMap: mark})
	}
	if err != nil {
		return nil, err
	}
	return &Deliveries{Ports: p, mark: mark, busy: map[string]*sync.Mutex{}}, nil
}

// lock makes others wait who deliver to a system.
func (s *Deliveries) lock(system string) (unlock func()) {
	s.mu.Lock()
	key := name.Fold(system)
	if s.busy[key] == nil {
		s.busy[key] = &sync.Mutex{}
	}
	own := s.busy[key]
	s.mu.Unlock()
	own.Lock()
	return own.Unlock
}

func (s *Deliveries) observing(t *target) *connect.Observing {
	return &connect.Observing{System: t.document, Host: *s.Host}
}

// kept is how a plan is kept.
type kept struct {
	Statements []delivery.Statement `json:"statements"`
	Left       []delivery.Left      `json:"left,omitempty"`
	Through    []delivery.Left      `json:"through,omitempty"`
	Problems   []delivery.Problem   `json:"problems,omitempty"`
	Stays      []string             `json:"stays,omitempty"`
}

// Run reads a system, and works out what is to be delivered to it. It then waits to be committed.
func (s *Deliveries) Run(
	ctx context.Context,
	by operator.Actor,
	system string,
	asked answer.DeliveryAsked,
) (*answer.Delivery, error) {
	d, err := s.run(ctx, by, "hand", system, asked)
	if err != nil {
		return nil, err
	}
	return s.Find(ctx, d.ID)
}

// Start is Run that is waited for a while only: what takes longer goes on, and is in the list when it
// is worked out, as the error says.
func (s *Deliveries) Start(
	ctx context.Context,
	by operator.Actor,
	system string,
	asked answer.DeliveryAsked,
	wait time.Duration,
) (*answer.Delivery, error) {
	d, over, err := keeping.Awhile(
		ctx,
		s.Working,
		wait,
		func() (*answer.Delivery, error) { return s.Run(s.Closing, by, system, asked) },
	)
	if !over && err == nil {
		err = &answer.ConflictError{Message: fmt.Sprintf("the system %s is still being read: "+
			"what is to be delivered is in gatemap delivery list when it is worked out", system)}
	}
	return d, err
}

func (s *Deliveries) run(
	ctx context.Context,
	by operator.Actor,
	how, system string,
	asked answer.DeliveryAsked,
) (*store.Delivery, error) {
	t, err := s.target(system, asked)
	if err != nil {
		return nil, err
	}
	defer s.lock(t.document.Name)()
	began := time.Now()
	p, err := connect.Planned(t.plan).Now(ctx, s.observing(t))
	if err != nil {
		return nil, &answer.ConflictError{Message: err.Error()}
	}
	report := answer.DeliveryReport{
		Statements: len(
			p.Statements,
		), Grants: p.Held, Taken: p.Taken, LeftOut: leftOf(p), Strangers: asked.Strangers, Held: t.held(p),
	}
	d := &store.Delivery{
		System:   t.document.Name,
		Revision: t.head.Revision.Number,
		How:      how,
		BegunBy:  by.Name,
		Began:    began,
	}
	switch {
	case len(p.Statements) == 0 && by.IsService(): // there is nothing to tell
		d.State = string(answer.DeliveryUnchanged)
		return d, s.overtake(ctx, by, d.System)
	case len(p.Statements) == 0:
		d.State, d.Ended = string(answer.DeliveryUnchanged), time.Now()
	case report.Held != "":
		d.State = string(answer.DeliveryHeld)
	default:
		d.State = string(answer.DeliveryWaiting)
	}
	if d.Plan, err = packed.Pack(kept{p.Statements, p.Left, t.wanted.Through, p.Problems, p.Stays}); err != nil {
		return nil, err
	}
	if err := setReport(d, &report); err != nil {
		return nil, err
	}
	if err := s.overtake(ctx, by, d.System); err != nil {
		return nil, err
	}
	var entries []store.Entry
	if !by.IsService() {
		detail := fmt.Sprintf("worked out what is to be delivered, statements: %d", report.Statements)
		entries = append(entries, audit.Of(by, "delivery", d.System, audit.Done, detail))
	}
	if err := s.Store.BeginDelivery(ctx, d, entries...); err != nil {
		return nil, err
	}
	s.tell(d)
	return d, nil
}

func leftOf(p *delivery.Plan) (n int) {
	for i := range p.Left {
		n += p.Left[i].All
	}
	return n
}

// held says why a delivery is held until someone confirms it; "" if it is not.
func (t *target) held(p *delivery.Plan) string {
	limit := t.document.Link.Limit()
	if p.Taken == 0 || !limit.Exceeded(p.Taken, p.Held) {
		return ""
	}
	return fmt.Sprintf(
		"it would take away %d of %d grants, memberships and accounts (%.1f%%); the removal limit of the link is %s",
		p.Taken,
		p.Held,
		100*float64(p.Taken)/float64(max(1, p.Held)),
		limit,
	)
}

// overtake ends those that wait for the same system: what they were worked out from has passed.
func (s *Deliveries) overtake(ctx context.Context, by operator.Actor, system string) error {
	open, err := s.Store.OpenDeliveries(ctx)
	if err != nil {
		return err
	}
	for _, d := range open {
		if state := answer.DeliveryState(d.State); !name.Equal(d.System, system) ||
			!state.Open() && state != answer.DeliveryHandedOut {
			continue
		}
		if err := s.end(ctx, &d, answer.DeliveryDiscarded,
			func(r *answer.DeliveryReport) { r.Error = "another one was run" }); err != nil {
			return err
		}
	}
	return nil
}

// tell tells everyone how far a delivery is.
func (s *Deliveries) tell(d *store.Delivery) { s.Events.Tell(events.Event{Delivery: d.System}) }

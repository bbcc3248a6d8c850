package deliveries

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"gatemap/answer"
	"gatemap/core/delivery"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/service/events"
	"gatemap/service/packed"
	"gatemap/service/page"
	"gatemap/store"
)

// journal is the deliveries that were worked out, and how far each is.
type journal struct{ *Ports }

// kept is how a plan is kept.
type kept struct {
	Statements []delivery.Statement `json:"statements"`
	Left       []delivery.Left      `json:"left,omitempty"`
	Through    []delivery.Left      `json:"through,omitempty"`
	Problems   []delivery.Problem   `json:"problems,omitempty"`
	Stays      []string             `json:"stays,omitempty"`
}

// List lists deliveries, the newest first; of one system, where it is named.
func (s *journal) List(ctx context.Context, system string, limit int, cursor string) (*answer.Deliveries, error) {
	before, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	rows, err := s.Store.Deliveries(ctx, system, int64(before), limit+1)
	if err != nil {
		return nil, err
	}
	out := &answer.Deliveries{Deliveries: []answer.Delivery{}}
	rows, out.Next = page.Cut(rows, limit, func(d *store.Delivery) int64 { return d.ID })
	for i := range rows {
		d, err := described(&rows[i])
		if err != nil {
			return nil, err
		}
		out.Deliveries = append(out.Deliveries, *d)
	}
	return out, nil
}

func described(d *store.Delivery) (*answer.Delivery, error) {
	report, err := reportOf(d)
	if err != nil {
		return nil, err
	}
	out := &answer.Delivery{
		ID: d.ID, System: d.System, Revision: d.Revision, How: d.How, BegunBy: d.BegunBy,
		State: answer.DeliveryState(d.State), Began: d.Began,
		DeliveryReport: *report,
	}
	if !d.Ended.IsZero() {
		ended := d.Ended.In(time.UTC)
		out.Ended = &ended
	}
	return out, nil
}

// delivery is one delivery; the error is a *directory.NotFoundError where there is none.
func (s *journal) delivery(ctx context.Context, id int64) (*store.Delivery, error) {
	d, found, err := s.Store.Delivery(ctx, id)
	if err == nil && !found {
		err = &directory.NotFoundError{Kind: "delivery", Name: fmt.Sprint(id)}
	}
	return &d, err
}

// Find is one delivery.
func (s *journal) Find(ctx context.Context, id int64) (*answer.Delivery, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	return described(d)
}

// Plan is one delivery with all that it does, and does not.
func (s *journal) Plan(ctx context.Context, id int64) (*answer.DeliveryPlan, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	of, err := described(d)
	if err != nil {
		return nil, err
	}
	k, err := s.keptOf(ctx, d)
	if err != nil {
		return nil, err
	}
	out := &answer.DeliveryPlan{
		Delivery: *of, Statements: []answer.DeliveryStatement{}, Left: []answer.DeliveryLeft{},
		Through:  []answer.DeliveryLeft{},
		Problems: []answer.DeliveryProblem{}, Stays: append([]string{}, k.Stays...),
	}
	for i, x := range k.Statements {
		s := answer.DeliveryStatement{Text: x.Text, On: x.On, For: x.For, Effect: x.Effect, Done: slices.Contains(of.Done, i)}
		out.Statements = append(out.Statements, s)
	}
	for i := range k.Left {
		out.Left = append(out.Left, answer.DeliveryLeftOf(&k.Left[i]))
	}
	for i := range k.Through {
		out.Through = append(out.Through, answer.DeliveryLeftOf(&k.Through[i]))
	}
	for i := range k.Problems {
		out.Problems = append(out.Problems, answer.DeliveryProblemOf(&k.Problems[i]))
	}
	return out, nil
}

// move notes that a delivery got further, and has not ended.
func (s *journal) move(
	ctx context.Context,
	d *store.Delivery,
	state answer.DeliveryState,
	report *answer.DeliveryReport,
) error {
	was := d.State
	d.State = string(state)
	if err := setReport(d, report); err != nil {
		return err
	}
	_, err := s.Store.UpdateDelivery(ctx, d, []string{was})
	s.tell(d)
	return err
}

func (s *journal) keptOf(ctx context.Context, d *store.Delivery) (*kept, error) {
	raw, err := s.Store.DeliveryPlan(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	return packed.Unpack[kept](raw)
}

// end ends a delivery.
func (s *journal) end(
	ctx context.Context,
	d *store.Delivery,
	state answer.DeliveryState,
	tell func(*answer.DeliveryReport),
	entries ...store.Entry,
) error {
	report, err := reportOf(d)
	if err != nil {
		return err
	}
	tell(report)
	was := d.State
	d.State, d.Ended = string(state), time.Now()
	if err := setReport(d, report); err != nil {
		return err
	}
	moved, err := s.Store.UpdateDelivery(ctx, d, []string{was}, entries...)
	if err == nil && moved {
		err = meanwhile(d)
	}
	s.tell(d)
	return err
}

// meanwhile says that a delivery is not in the state any more in which it was looked at.
func meanwhile(d *store.Delivery) error {
	return &answer.ConflictError{
		Message: fmt.Sprintf("delivery %d to %s was committed or discarded meanwhile", d.ID, d.System),
	}
}

func reportOf(d *store.Delivery) (*answer.DeliveryReport, error) {
	r := &answer.DeliveryReport{}
	return r, json.Unmarshal(d.Report, r)
}

func setReport(d *store.Delivery, r *answer.DeliveryReport) (err error) {
	d.Report, err = json.Marshal(r)
	return err
}

// overtake ends those that wait for the same system: what they were worked out from has passed.
func (s *journal) overtake(ctx context.Context, system string) error {
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
func (s *journal) tell(d *store.Delivery) { s.Events.Tell(events.Event{Delivery: d.System}) }

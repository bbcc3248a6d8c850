package deliveries

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/service/page"
	"gatemap/store"
)

// List lists deliveries, the newest first; of one system, where it is named.
func (s *Deliveries) List(ctx context.Context, system string, limit int, cursor string) (*answer.Deliveries, error) {
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
func (s *Deliveries) delivery(ctx context.Context, id int64) (*store.Delivery, error) {
	d, found, err := s.Store.Delivery(ctx, id)
	if err == nil && !found {
		err = &directory.NotFoundError{Kind: "delivery", Name: fmt.Sprint(id)}
	}
	return &d, err
}

// Find is one delivery.
func (s *Deliveries) Find(ctx context.Context, id int64) (*answer.Delivery, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	return described(d)
}

// Plan is one delivery with all that it does, and does not.
func (s *Deliveries) Plan(ctx context.Context, id int64) (*answer.DeliveryPlan, error) {
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

// Script is a delivery as a script that an administrator can run by hand.
func (s *Deliveries) Script(ctx context.Context, id int64) (*answer.DeliveryScript, error) {
	d, err := s.delivery(ctx, id)
	if err != nil {
		return nil, err
	}
	w, err := s.work(ctx, d)
	if err != nil {
		return nil, err
	}
	return &answer.DeliveryScript{Script: w.deliver.Script(w.agreed)}, nil
}

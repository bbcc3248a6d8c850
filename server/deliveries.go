package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/workspace"
)

// NumberedDelivery is the number of a delivery in a path.
type NumberedDelivery struct {
	ID int64 `path:"id" minimum:"1" doc:"Number of the delivery."`
}

// delivered are the operations on deliveries. What they answer changes without a new revision, so
// it is never kept.
func delivered(api huma.API, s *workspace.Service) {
	post(api, "/systems/{name}/delivery", "run-delivery",
		"Read a linked system, and work out with which statements it comes to hold what the map says; "+
			"nothing is changed there",
		operator.Intake, http.StatusCreated, func(ctx context.Context, in *struct {
			Name string `path:"name"`
			Body answer.DeliveryAsked
		}) (*answer.Delivery, error) {
			return s.Deliveries.Start(ctx, operator.From(ctx), unescape(in.Name), in.Body, readingWait)
		})
	get(api, "/deliveries", "deliveries", "The deliveries, the newest first", func(ctx context.Context, in *struct {
		System string `query:"system" doc:"Only deliveries to this system."`
		Paging
	}) (*answer.Deliveries, error) {
		return s.Deliveries.List(ctx, in.System, in.Limit, in.Cursor)
	})
	get(api, "/deliveries/{id}", "delivery",
		"One delivery, with the exact statements, what each is for, and what is left out",
		func(ctx context.Context, in *NumberedDelivery) (*answer.DeliveryPlan, error) {
			return s.Deliveries.Plan(ctx, in.ID)
		})
	get(api, "/deliveries/{id}/script", "delivery-script", "A delivery as a script that an administrator can run by hand",
		func(ctx context.Context, in *NumberedDelivery) (*answer.DeliveryScript, error) {
			return s.Deliveries.Script(ctx, in.ID)
		})
	post(api, "/deliveries/{id}/commit", "commit-delivery",
		"Make the statements of a delivery that waits, and read the system again; "+
			"one that takes longer goes on, and the answer says delivering",
		operator.Deliver, http.StatusOK, func(ctx context.Context, in *struct {
			NumberedDelivery
			Body struct {
				Confirm bool `json:"confirm,omitempty" doc:"Commit it even if the removal limit of the link holds it."`
			}
		}) (*answer.Delivery, error) {
			return s.Deliveries.Commit(ctx, operator.From(ctx), in.ID, in.Body.Confirm, readingWait)
		})
	post(api, "/deliveries/{id}/discard", "discard-delivery", "Discard a delivery that waits", operator.Intake,
		http.StatusOK, func(ctx context.Context, in *NumberedDelivery) (*answer.Delivery, error) {
			return s.Deliveries.Discard(ctx, operator.From(ctx), in.ID)
		})
}

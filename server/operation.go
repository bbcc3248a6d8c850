package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"gatemap/edge"
	"gatemap/operator"
)

// operation describes an operation and the right that it needs.
func operation(method, path, id, summary string, right operator.Right, status int) huma.Operation {
	return huma.Operation{
		Method: method, Path: path, OperationID: id, Summary: summary, DefaultStatus: status,
		Errors: []int{
			http.StatusUnauthorized,
			http.StatusForbidden,
			http.StatusNotFound,
			http.StatusConflict,
			http.StatusUnprocessableEntity,
		},
		Extensions: map[string]any{rightOf: string(right), boundTo: bounds[id]},
		// The body is there already (takeBody). A time in which it must be read would end the
		// request while it is answered.
		BodyReadTimeout: -1,
	}
}

// rightOf is where the description of an operation says which right it needs.
const rightOf = "x-right"

// get registers one operation that reads.
func get[In, Out any](api huma.API, path, id, summary string, ask func(context.Context, *In) (*Out, error)) {
	read(api, path, id, summary, operator.Read, ask)
}

// bounds says of operations how tokens that are bound to some systems may use them;
// those that are not listed they may not.
var bounds = map[string]string{
	"reach": bySystem, "person": bySystem, "why": bySystem, "who": bySystem, "matrix": bySystem, "hours": bySystem,
	"system": bySystem, "lines": bySystem, "probe": bySystem,
	"really-reach": bySystem, "really-why": bySystem, "really-who": bySystem, "really-matrix": bySystem, "drift": bySystem,
	"read-system": bySystem,
	"members":     byNothing, "memberships": byNothing, "search": byNothing, "list-users": byNothing,
	"list-groups": byNothing, "list-systems": byNothing,
	"user": byNothing, "group": byNothing, "map": byNothing, "words": byNothing, "schema": byNothing, "history": byNothing,
	"settings": byNothing,
	"trials":   byNothing, "begin-trial": byNothing, "trial": byNothing, "stage": byNothing, "unstage": byNothing,
	"remove-trial": byNothing,
}

// post registers one operation that does something.
func post[In, Out any](
	api huma.API,
	path, id, summary string,
	right operator.Right,
	status int,
	work func(context.Context, *In) (*Out, error),
) {
	call(api, operation(http.MethodPost, path, id, summary, right, status), work)
}

func call[In, Out any](api huma.API, o huma.Operation, work func(context.Context, *In) (*Out, error)) {
	huma.Register(api, o, func(ctx context.Context, in *In) (*reply[Out], error) {
		out, err := work(ctx, in)
		if err != nil {
			return nil, edge.Problem(err)
		}
		return &reply[Out]{out}, nil
	})
}

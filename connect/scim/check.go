package scim

import (
	"context"
	"fmt"
	"net/http"

	"gatemap/connect"
)

// able is what a service provider says that it can (RFC 7643 section 5).
type able struct {
	Patch, ETag struct{ Supported bool }
}

// check goes through everything that reading and writing need.
func (d *Document) check(ctx context.Context, j *connect.Job, tell func(connect.Step)) *connect.Checked {
	failed := func(step string, err error) *connect.Checked {
		tell(connect.Step{Name: step, Failed: true, Detail: err.Error()})
		return &connect.Checked{Close: func() {}}
	}
	ctx, cancel := context.WithTimeout(ctx, d.Timeout.Or(readingTimeout))
	defer cancel()
	p, err := d.reached().provider(j.Host)
	if err != nil {
		return failed("address", err)
	}
	var can able
	switch err := p.get(ctx, "/ServiceProviderConfig", &can); {
	case hasStatus(err, http.StatusNotFound):
		answers := d.Address.Value + " answers, and does not say what it can (/ServiceProviderConfig)"
		tell(connect.Step{Name: "connection", Warned: true, Detail: answers})
	case err != nil:
		return failed("connection", fmt.Errorf("%s: %w", d.Address.Value, err))
	default:
		tell(connect.Step{Name: "connection", Detail: d.Address.Value + " answers"})
		if len(j.Source.Write) > 0 {
			tell(can.written())
		}
	}
	records, err := d.records(ctx, p, j)
	if err != nil {
		return failed("records", fmt.Errorf("%s: %w", d.Address.Value, err))
	}
	tell(connect.Step{Name: "records", Detail: records.Sizes()})
	return &connect.Checked{Records: &records, Close: func() {}}
}

// written says how safely resources are written.
func (a able) written() connect.Step {
	switch {
	case a.ETag.Supported:
		return connect.Step{
			Name:   "write",
			Detail: "what somebody else changes at the same moment is seen by its version (If-Match)",
		}
	case a.Patch.Supported:
		return connect.Step{
			Name:   "write",
			Warned: true,
			Detail: "it tells no versions: what somebody else changes at the same moment as a commit may be overwritten",
		}
	}
	return connect.Step{
		Name:   "write",
		Warned: true,
		Detail: "it knows neither PATCH nor versions: nothing can be written safely, and nothing is",
	}
}

package scim

import (
	"context"

	"gatemap/connect"
	"gatemap/core/place"
)

// Connector is this kind of connection.
var Connector = connect.Connector{
	Name: "scim", Doc: "A source whose records are pushed to the service, or a system whose service provider is asked (RFC 7644).",
	New: func() connect.Document { return &Document{} }, From: connect.Pushed,
	Link: func() connect.Link { return &Link{} }, Address: linkAddress,
}

// Document marks a directory whose records are pushed.
type Document struct {
	Place      place.Place `yaml:"-"`
	Extensions Extensions  `yaml:"extensions" doc:"What becomes of attributes that no known schema has: keep (default) them under the URN of their schema, or ignore them."`
}

// Extensions says what becomes of attributes of extensions that are not known.
type Extensions string

// Values lists the ways; keep is the default.
func (Extensions) Values() []string { return []string{"keep", "ignore"} }

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Targets are none: the service asks nobody.
func (d *Document) Targets() []string { return nil }

// Read has nothing to read.
func (d *Document) Read(context.Context, *connect.Job, func(int)) (connect.Records, string, error) {
	return connect.Records{}, "", connect.ErrPushed
}

// Check says what has been pushed.
func (d *Document) Check(_ context.Context, j *connect.Job, tell func(connect.Step)) *connect.Checked {
	tell(connect.Step{Name: "source", Detail: "the records are pushed: " + j.Known.Sizes()})
	return &connect.Checked{Records: &j.Known, Close: func() {}}
}

// Follow has nothing to follow.
func (d *Document) Follow(context.Context, *connect.Job, connect.Observer) error {
	return connect.ErrPushed
}

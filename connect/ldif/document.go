package ldif

import (
	"context"

	"gatemap/connect"
	"gatemap/core/place"
)

// Connector is this kind of connection.
var Connector = connect.Connector{
	Name: "ldif", Doc: "A file of directory entries (RFC 2849), by its path from the map folder.",
	New:    func() connect.Document { return &Document{} },
	Strict: true,
}

// Document is the path of a file of directory entries.
type Document struct{ place.Text }

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Targets is the file.
func (d *Document) Targets() []string { return []string{"ldif " + d.Value} }

// Read brings in what the file has. The error joins a *place.Error for everything that
// keeps it from being read.
func (d *Document) Read(_ context.Context, j *connect.Job, progress func(int)) (connect.Records, string, error) {
	return connect.ReadFile(j, Connector.Name, d.Text, progress, func(f *connect.File) {
		Read(f.Content, d.Value, &f.Errors, f.Take)
	})
}

// Check reads the file.
func (d *Document) Check(ctx context.Context, j *connect.Job, tell func(connect.Step)) *connect.Checked {
	return connect.CheckFile(ctx, d, j, tell)
}

// Follow is not for files.
func (d *Document) Follow(context.Context, *connect.Job, connect.Observer) error {
	return connect.ErrNotFollowed
}

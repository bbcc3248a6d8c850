package csv

import (
	"context"

	"gatemap/connect"
	"gatemap/core/place"
)

// Connector is this kind of connection.
var Connector = connect.Connector{
	Name: "csv", Doc: "A file of lines and columns (RFC 4180).", New: func() connect.Document { return &Document{} },
}

// Document says how a file of lines is read.
type Document struct {
	Place     place.Place `yaml:"-"`
	File      place.Text  `yaml:"file,required" doc:"The file, by its path from the map folder. Its first line names the columns."`
	Delimiter string      `yaml:"delimiter" doc:"The separator of columns; tab for a tab. Missing: a comma."`
	Encoding  place.Text  `yaml:"encoding" doc:"Character encoding, such as windows-1252 or utf-16le (WHATWG names). Missing: UTF-8."`
	Values    string      `yaml:"values" doc:"The separator of several values in one column. Missing: a column holds one value."`
}

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Targets is the file.
func (d *Document) Targets() []string { return []string{"csv " + d.File.Value} }

// Read brings in what the file has. The error joins a *place.Error for everything that
// keeps it from being read.
func (d *Document) Read(_ context.Context, j *connect.Job, progress func(int)) (connect.Records, string, error) {
	return connect.ReadFile(j, Connector.Name, d.File, progress, func(f *connect.File) {
		var columns []string
		for _, wanted := range j.Tables.Wanted() {
			columns = append(columns, wanted.Attributes...)
		}
		entries, rejected := Read(f.Content, d, columns, &f.Errors)
		f.Rejected = rejected
		for i := range entries {
			f.Take(&entries[i])
		}
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

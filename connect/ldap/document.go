package ldap

import (
	"context"
	"fmt"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// Connector is this kind of connection.
var Connector = connect.Connector{
	Name: "ldap", Doc: "A directory server (RFC 4511).", New: func() connect.Document { return &Document{} },
	From: connect.Server, Follows: []string{"stream", "poll"}, Selects: true, Propose: propose,
}

// Document says how a directory server is asked.
type Document struct {
	Place    place.Place     `yaml:"-"`
	Servers  []place.Text    `yaml:"servers,required" doc:"Addresses, ldap://host or ldaps://host, in the order in which they are tried."`
	StartTLS bool            `yaml:"starttls" doc:"true: connections to ldap:// turn to TLS before anything else (RFC 4513 section 3)."`
	CA       place.Text      `yaml:"ca" doc:"File of the certificates (PEM) that may vouch for the servers, by its path from the map folder. Missing: those of the machine."`
	Bind     place.Text      `yaml:"bind" doc:"Distinguished name or login name to bind as. Missing: anonymous."`
	Secret   *connect.Secret `yaml:"secret" doc:"Where the secret of the bind is; it is never in the map."`
	Timeout  directory.Span  `yaml:"timeout" doc:"How long to wait for any one answer. Missing: 30s."`
	Page     int             `yaml:"page" doc:"Entries in a page (RFC 2696). Missing: 500."`
	Tries    int             `yaml:"tries" doc:"How often each server is tried, with growing pauses, before a run fails. Missing: 3."`
}

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Targets are the servers, how they are trusted, and what is told them.
func (d *Document) Targets() []string {
	targets := []string{"ca " + d.CA.Value, "bind " + d.Bind.Value, fmt.Sprintf("starttls %t", d.StartTLS)}
	for _, s := range d.Servers {
		targets = append(targets, "server "+s.Value)
	}
	if d.Secret != nil {
		targets = append(targets, "secret "+d.Secret.Env+" "+d.Secret.File.Value)
	}
	return targets
}

// Read brings in everything that the first server that answers has.
func (d *Document) Read(ctx context.Context, j *connect.Job, progress func(int)) (connect.Records, string, error) {
	conn, err := New(j.Source, j.Host).Connect(ctx)
	if err != nil {
		return connect.Records{}, "", err
	}
	defer conn.Close()
	records, err := conn.Fetch(ctx, j.Tables, progress)
	return records, conn.Server(), err
}

// Check goes through connecting, signing in and searching.
func (d *Document) Check(ctx context.Context, j *connect.Job, tell func(connect.Step)) *connect.Checked {
	conn, records := New(j.Source, j.Host).Check(ctx, j.Tables, tell)
	if conn == nil {
		return &connect.Checked{Close: func() {}}
	}
	tell(connect.Step{Name: "records", Detail: records.Sizes()})
	return &connect.Checked{Records: records, Elsewhere: conn.HasName, Close: conn.Close}
}

// Follow follows the changes by a stream or by polls, as the source says.
func (d *Document) Follow(ctx context.Context, j *connect.Job, o connect.Observer) error {
	if j.Source.Follow == "stream" {
		return streamed(ctx, j, o)
	}
	return polled(ctx, j, o)
}

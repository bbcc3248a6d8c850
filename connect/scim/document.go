package scim

import (
	"context"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// Connector is this kind of connection.
var Connector = connect.Connector{
	Name: "scim",
	Doc: "A source whose records are pushed to the service, or asked for at a service provider; " +
		"or a system whose service provider is asked (RFC 7644).",
	New: func() connect.Document { return &Document{} }, From: connect.Pushed, Typed: true,
	Link: func() connect.Link { return &Link{} }, Address: linkAddress,
}

// Document says how a service provider is asked for records; without an address they are pushed.
type Document struct {
	Place      place.Place     `yaml:"-"`
	Address    place.Text      `yaml:"address" doc:"Base address of the service provider that has the records, such as https://people.cindervale.example/scim/v2. Missing: they are pushed to this service."`
	Secret     *connect.Secret `yaml:"secret" doc:"Where the bearer token is; it is never in the map. Missing: the service provider is asked without one."`
	TLS        *connect.TLS    `yaml:"tls" doc:"Who vouches for the server. Missing: those that this machine trusts; http:// is for addresses of this machine only."`
	Page       int             `yaml:"page" doc:"Resources in a page. Missing: 200."`
	Timeout    directory.Span  `yaml:"timeout" doc:"How long a reading may take. Missing: 10m."`
	Extensions Extensions      `yaml:"extensions" doc:"What becomes of attributes that no known schema has: keep (default) them, those of an extension under its URN, or ignore them."`
}

// Extensions says what becomes of attributes of extensions that are not known.
type Extensions string

// Values lists the ways; keep is the default.
func (Extensions) Values() []string { return []string{"keep", "ignore"} }

// readingTimeout is how long a reading of records may take where the map does not say otherwise.
const readingTimeout = 10 * time.Minute

// Connector is the entry of the table of connectors, with where the records of this source come from.
func (d *Document) Connector() connect.Connector {
	c := Connector
	if d.asks() {
		c.From = connect.Server
	}
	return c
}

// asks says that a service provider is asked for the records.
func (d *Document) asks() bool { return d.Address.Value != "" }

func (d *Document) reached() reached { return reached{d.Place, d.Address, d.Secret, d.TLS, d.Page} }

// Targets are the server, how it is trusted, and what is told it; none where the service asks nobody.
func (d *Document) Targets() []string {
	if !d.asks() {
		return nil
	}
	return append([]string{"scim " + d.Address.Value}, connect.Told(d.TLS, d.Secret)...)
}

// Read brings in all users and groups that the service provider has.
func (d *Document) Read(ctx context.Context, j *connect.Job, progress func(int)) (connect.Records, string, error) {
	if !d.asks() {
		return connect.Records{}, "", connect.ErrPushed
	}
	ctx, cancel := context.WithTimeout(ctx, d.Timeout.Or(readingTimeout))
	defer cancel()
	p, err := d.reached().provider(j.Host)
	if err != nil {
		return connect.Records{}, "", err
	}
	p.progress = progress
	r, err := d.records(ctx, p, j)
	if err != nil {
		err = failed(ctx, d.Address.Value, d.Timeout.Or(readingTimeout), err)
	}
	return r, d.Address.Value, err
}

// Check says what has been pushed, or goes through asking the service provider.
func (d *Document) Check(ctx context.Context, j *connect.Job, tell func(connect.Step)) *connect.Checked {
	if d.asks() {
		return d.check(ctx, j, tell)
	}
	tell(connect.Step{Name: "source", Detail: "the records are pushed: " + j.Known.Sizes()})
	return &connect.Checked{Records: &j.Known, Close: func() {}}
}

// Follow is for no source of this kind.
func (d *Document) Follow(context.Context, *connect.Job, connect.Observer) error {
	if d.asks() {
		return connect.ErrNotFollowed
	}
	return connect.ErrPushed
}

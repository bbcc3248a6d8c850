// Package postgres reads who may do what in a PostgreSQL database: its roles, who is in them, and
// what they are granted on the database, its schemas, tables, columns, sequences and functions
// (docs/connected.md). It needs no more than a login that may read the system catalogs, and writes
// nothing.
package postgres

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/gate/roles"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// Connector is this kind of connection.
var Connector = connect.Connector{
	Name: "postgres", Doc: "A database of a PostgreSQL server.",
	Link: func() connect.Link { return &Document{} }, Address: address,
}

// address makes a link from postgres://ROLE@HOST:PORT/DATABASE, where secret=env:NAME or
// secret=file:PATH says where the password is, and ca=FILE who vouches for the server.
func address(at *url.URL) (connect.Link, error) {
	d := &Document{Database: strings.TrimPrefix(at.Path, "/"), User: at.User.Username()}
	if _, secret := at.User.Password(); secret {
		return nil, errors.New(
			"a password is never in the map: say where it is with ?secret=env:GATEMAP_SECRET_NAME or ?secret=file:PATH",
		)
	}
	if d.Database == "" || d.User == "" {
		return nil, errors.New("it is written postgres://ROLE@HOST:PORT/DATABASE")
	}
	d.Address.Value = net.JoinHostPort(at.Hostname(), cmp.Or(at.Port(), "5432"))
	ca := ""
	if err := connect.Parts(at, &d.Secret, map[string]*string{"ca": &ca}); err != nil {
		return nil, err
	}
	d.TLS = connect.TrustedBy(ca)
	return d, nil
}

// Document says how a database is reached.
type Document struct {
	Place    place.Place     `yaml:"-"`
	Address  place.Text      `yaml:"address,required" doc:"Host and port of the server, such as db.cindervale.example:5432."`
	Database string          `yaml:"database,required" doc:"The database."`
	User     string          `yaml:"user,required" doc:"The role to sign in as. It needs no rights but to connect."`
	Secret   *connect.Secret `yaml:"secret" doc:"Where its password is; it is never in the map. Missing: it signs in without one."`
	TLS      *connect.TLS    `yaml:"tls" doc:"The connection is by TLS. It may be left out for addresses of this machine only."`
	Timeout  directory.Span  `yaml:"timeout" doc:"How long a reading may take. Missing: 2m."`
}

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Types are the gate types of databases.
func (d *Document) Types() []string { return []string{"roles"} }

// Targets are the server, how it is trusted, and what is told it.
func (d *Document) Targets() []string {
	return append(
		[]string{"postgres " + d.Address.Value, "database " + d.Database, "user " + d.User},
		connect.Told(d.TLS, d.Secret)...)
}

// Observe reads the catalogs of the database in one transaction, so that what is changed
// meanwhile is in the reading as a whole or not at all.
func (d *Document) Observe(ctx context.Context, o *connect.Observing, progress func(int)) (*reading.Reading, error) {
	var r *reading.Reading
	err := d.within(
		ctx,
		o,
		pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly},
		func(ctx context.Context, tx pgx.Tx) (err error) {
			r, err = d.observe(ctx, tx, o, progress)
			return err
		},
	)
	return r, err
}

// observe reads what the database holds in a transaction.
func (d *Document) observe(
	ctx context.Context,
	tx pgx.Tx,
	o *connect.Observing,
	progress func(int),
) (*reading.Reading, error) {
	c := &catalog{tx: tx, progress: progress, me: d.User}
	if of, is := o.System.Gate.(*roles.Document); is {
		for _, r := range of.Resources {
			c.declared = append(c.declared, r.Path.Value)
		}
	}
	if err := c.read(ctx); err != nil {
		return nil, err
	}
	return c.reading(time.Now()), nil
}

// within signs in, and does something in one transaction, which is not kept where that fails.
func (d *Document) within(
	ctx context.Context,
	o *connect.Observing,
	options pgx.TxOptions,
	do func(context.Context, pgx.Tx) error,
) error {
	ctx, cancel := context.WithTimeout(ctx, d.Timeout.Or(connect.ReadingTimeout))
	defer cancel()
	config, err := d.config(o.Host)
	if err != nil {
		return err
	}
	conn, err := pgx.ConnectConfig(ctx, config)
	if err != nil {
		return d.failed(ctx, err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if conn.PgConn().ParameterStatus("server_encoding") == "SQL_ASCII" { // it holds any bytes
		if _, err := conn.Exec(ctx, "SET client_encoding TO 'SQL_ASCII'"); err != nil {
			return d.failed(ctx, err)
		}
	}
	tx, err := conn.BeginTx(ctx, options)
	if err != nil {
		return d.failed(ctx, err)
	}
	defer func() { _ = tx.Rollback(context.WithoutCancel(ctx)) }()
	if err = do(ctx, tx); err == nil {
		err = tx.Commit(ctx)
	}
	if err != nil {
		return d.failed(ctx, err)
	}
	return nil
}

// config is how to connect. What the environment says of PostgreSQL does not count.
func (d *Document) config(host connect.Host) (*pgx.ConnConfig, error) {
	name, port, err := net.SplitHostPort(d.Address.Value)
	number, err2 := strconv.ParseUint(port, 10, 16)
	if err != nil || err2 != nil || name == "" {
		return nil, place.Errorf(
			d.Address.Place,
			"%q is no address of a server: it is written host:port, such as db.cindervale.example:5432",
			d.Address.Value,
		)
	}
	config, err := pgx.ParseConfig("host=localhost sslmode=disable passfile=/dev/null servicefile=/dev/null")
	if err != nil {
		return nil, err
	}
	config.Host, config.Port, config.Database, config.User, config.Password = name, uint16(number), d.Database, d.User, ""
	config.Fallbacks, config.RuntimeParams = nil, map[string]string{
		"application_name": "gatemap",
		"client_encoding":  "UTF8",
	}
	config.DefaultQueryExecMode = pgx.QueryExecModeExec // through poolers, too
	if d.Secret != nil {
		if config.Password, err = host.Secret(d.Secret); err != nil {
			return nil, place.Errorf(d.Place, "%v", err)
		}
	}
	if config.TLSConfig, err = d.TLS.Config(host, name); err != nil {
		return nil, connect.At(d.Address.Place, err)
	}
	return config, nil
}

// failed says what went wrong and what to do about it.
func (d *Document) failed(ctx context.Context, err error) error {
	var server *pgconn.PgError
	var own *refusal
	switch {
	case errors.Is(err, connect.ErrMoved) || errors.As(err, &own):
		return err
	case errors.As(err, &server) && server.Code == "42501": // insufficient_privilege
		return fmt.Errorf(
			"%s: the role %s may not read a system catalog, so that nobody can say what is there: %s",
			d.Address.Value,
			d.User,
			server.Message,
		)
	case errors.As(err, &server) && (server.Code == "28P01" || server.Code == "28000"):
		return fmt.Errorf("%s: it does not let the role %s in: %s", d.Address.Value, d.User, server.Message)
	case errors.As(err, &server) && server.Code == "3D000": // invalid_catalog_name
		return fmt.Errorf("%s: %s", d.Address.Value, server.Message)
	case errors.As(err, &server):
		return fmt.Errorf("%s: %s (SQLSTATE %s)", d.Address.Value, server.Message, server.Code)
	case errors.Is(ctx.Err(), context.DeadlineExceeded):
		return fmt.Errorf("%s: %w", d.Address.Value, connect.Late(d.Timeout.Or(connect.ReadingTimeout)))
	}
	return fmt.Errorf("%s: %w", d.Address.Value, err)
}
